import { Copy } from "lucide-react";
import { Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { type Connection, useBeginSignIn, useDiscardToken, useSignIn } from "./connection";

/** What may be seen of the token: obtained, valid until, renewed, refused and why. */
export function TokenLife({
  project,
  connection,
  scheme,
}: {
  project: string;
  connection: Connection;
  scheme: string;
}) {
  const found = useSignIn(project, connection.name);
  const begin = useBeginSignIn(project, connection.name);
  const discard = useDiscardToken(project, connection.name);
  const may = usePermission(project, "write_secret");
  const consents = scheme === "authorization_code";
  if (!found.data || (found.data.tokens.length === 0 && !consents)) return null;
  return (
    <div className="border-l-2 border-base-300 pl-3 text-sm">
      {found.data.tokens.map((one) => (
        <div key={one.operation} className="mb-2">
          <p>
            <span className="font-medium">{one.operation ? `Token of ${one.operation}` : "Access token"}</span>{" "}
            <Tag tone={one.state === "valid" ? "good" : one.state === "none" ? "plain" : "bad"}>
              {one.state.replaceAll("_", " ")}
            </Tag>
          </p>
          <p>{one.words}</p>
          {one.obtained_at && (
            <p className="text-xs opacity-75">
              obtained {when(one.obtained_at)}
              {one.expires_at && `, valid until ${when(one.expires_at)}`}, renewed {one.renewed} times
              {one.scope && `, scope ${one.scope}`}
              {one.signed_in_by && `, signed in by ${one.signed_in_by}`}
            </p>
          )}
          {one.refusal != null && <p className="text-xs opacity-75">{(one.refusal as { hint: string }).hint}</p>}
        </div>
      ))}
      <ProblemAlert error={begin.error ?? discard.error} />
      {consents && (
        <p className="mb-2 flex flex-wrap items-center gap-2 text-xs">
          Callback address, for the service's registration page:
          <code className="font-mono break-all">{found.data.callback}</code>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label="Copy the callback address"
            onClick={() => void navigator.clipboard.writeText(found.data.callback)}
          >
            <Copy className="size-3.5" aria-hidden /> copy
          </button>
        </p>
      )}
      {may && consents && (
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={begin.isPending}
          onClick={() => begin.mutate()}
        >
          Sign in at the service
        </button>
      )}
      {may && found.data.tokens.some((one) => one.obtained_at) && (
        <button type="button" className="btn btn-ghost btn-sm" onClick={() => discard.mutate()}>
          Forget the token
        </button>
      )}
    </div>
  );
}
