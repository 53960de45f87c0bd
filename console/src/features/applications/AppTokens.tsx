import { useState } from "react";
import { when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Once } from "../administration/Once";
import { useApplicationTokens, useMakeToken, useRevokeToken } from "./applications";

const LASTING = [
  ["30", "30 days"],
  ["90", "90 days"],
  ["365", "a year"],
  ["", "for ever"],
] as const;

/** The tokens of an application; administrators make and revoke them. */
export function AppTokens({
  project,
  application,
  mayAdminister,
}: {
  project: string;
  application: string;
  mayAdminister: boolean;
}) {
  const tokens = useApplicationTokens(project, application);
  const make = useMakeToken(project, application);
  const revoke = useRevokeToken(project, application);
  const [title, setTitle] = useState("");
  const [days, setDays] = useState("90");
  const [now] = useState(() => Date.now());
  return (
    <>
      {tokens.data?.length === 0 && <p className="text-sm opacity-80">It has no token, so nobody can call as it.</p>}
      <ul className="max-w-3xl text-sm">
        {tokens.data?.map((one) => {
          const isOver = one.expires_at !== null && Date.parse(one.expires_at) < now;
          return (
            <li key={one.id} className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-1">
              <span className="font-medium">{one.title}</span>
              <span className="text-xs opacity-80">
                made {when(one.made_at)} {one.by && `by ${one.by}`},{" "}
                {one.used_at ? `used ${when(one.used_at)}` : "never used"}
              </span>
              <span className={`text-xs ${isOver ? "text-error" : "opacity-80"}`}>
                {one.expires_at === null
                  ? "lasts for ever"
                  : `${isOver ? "expired" : "lasts until"} ${when(one.expires_at)}`}
              </span>
              {mayAdminister && (
                <button
                  type="button"
                  className="btn btn-ghost btn-xs ml-auto"
                  disabled={revoke.isPending}
                  onClick={() => revoke.mutate(one.id)}
                >
                  Revoke
                </button>
              )}
            </li>
          );
        })}
      </ul>
      {make.data && <Once what="The token" text={make.data.token} />}
      {mayAdminister && (
        <form
          className="mt-2 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate({ title, days: days ? Number(days) : null }, { onSuccess: () => setTitle("") });
          }}
        >
          <label className="flex min-w-52 flex-col text-xs">
            Where it is used
            <input className="input input-sm" value={title} onChange={(event) => setTitle(event.target.value)} />
          </label>
          <label className="flex flex-col text-xs">
            It lasts
            <select className="select select-sm" value={days} onChange={(event) => setDays(event.target.value)}>
              {LASTING.map(([value, words]) => (
                <option key={value} value={value}>
                  {words}
                </option>
              ))}
            </select>
          </label>
          <button type="submit" className="btn btn-sm" disabled={!title.trim() || make.isPending}>
            Make a token
          </button>
        </form>
      )}
      <ProblemAlert error={tokens.error ?? make.error ?? revoke.error} />
    </>
  );
}
