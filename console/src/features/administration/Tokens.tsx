import { useState } from "react";
import { Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useRevokeToken, useTokens } from "./administration";

/** The tokens that act as a person, with their last use. person: "" for one's own. */
export function Tokens({ person }: { person: string }) {
  const found = useTokens(person);
  const revoke = useRevokeToken(person);
  const [now] = useState(() => Date.now());
  if (found.isPending) return <Waiting what="Reading the tokens" />;
  return (
    <>
      {found.data?.length === 0 && (
        <p className="mb-3 text-sm opacity-80">There is no token. Commands and programs make one when they sign in.</p>
      )}
      {found.data && found.data.length > 0 && (
        <table className="mb-3 w-full max-w-4xl text-sm">
          <thead>
            <tr className="text-left">
              <th className="py-1 pr-4 font-medium">token for</th>
              <th className="pr-4 font-medium">made</th>
              <th className="pr-4 font-medium">last used</th>
              <th className="pr-4 font-medium">expires</th>
              <th>
                <span className="sr-only">Change</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.data.map((one) => (
              <tr key={one.id} className="border-t border-base-300">
                <td className="py-1.5 pr-4">{one.title}</td>
                <td className="pr-4 text-xs">{when(one.made_at)}</td>
                <td className="pr-4 text-xs">{when(one.used_at) || "never"}</td>
                <td
                  className={`pr-4 text-xs ${one.expires_at && Date.parse(one.expires_at) < now ? "text-error" : ""}`}
                >
                  {when(one.expires_at) || "never"}
                </td>
                <td className="text-right">
                  <button
                    type="button"
                    className="btn btn-ghost btn-xs"
                    disabled={revoke.isPending}
                    onClick={() => revoke.mutate(one.id)}
                  >
                    Revoke
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ProblemAlert error={found.error ?? revoke.error} />
    </>
  );
}
