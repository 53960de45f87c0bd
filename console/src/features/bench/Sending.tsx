import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { Advice } from "../../ui/Advice";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironmentList } from "../environments/environments";
import { useEnvironments } from "../session/session";
import { isReading, useMoveKey, type OperationDocument } from "./bench";
import { useBench } from "./context";
import { isEmpty, whyNotSent } from "./draft";

/** The request as it will be sent, what is to be said of it, and the button that sends it. */
export function Sending() {
  const { project, draft, request } = useBench();
  const shown = request.data;
  return (
    <div className="max-h-[65vh] shrink-0 overflow-auto border-t border-base-300 p-3">
      <p className="mb-1 text-sm opacity-80">This will be sent</p>
      <ProblemAlert error={request.error} />
      <pre
        aria-label="The request as it will be sent"
        className="mb-2 max-h-32 overflow-auto rounded-field bg-base-200 px-2.5 py-2 font-mono text-xs break-all whitespace-pre-wrap"
      >
        {shown ? shown.text : draft.service || draft.base ? "…" : "Paste an address, or say where it goes."}
      </pre>
      {shown && shown.origins.length > 0 && <Origins origins={shown.origins} connection={shown.connection} />}
      {[...(shown?.problems ?? []), ...(shown?.warnings ?? [])].map((one) => (
        <p key={one.where + one.message} className="mb-1 border-l-2 border-warning pl-2 text-xs">
          {one.message}
          {one.hint && (
            <span className="opacity-80">
              . <Advice hint={one.hint} />
            </span>
          )}
        </p>
      ))}
      <Findings findings={shown?.findings ?? []} />
      {shown && shown.sign_in !== "none" && (
        <p className="mb-1 text-xs opacity-75">
          sign-in:{" "}
          {shown.sign_in === "own" || !shown.connection ? (
            shown.sign_in
          ) : (
            <>
              from{" "}
              <Link className="link" to={`/p/${project}/connections/${shown.connection}`}>
                connection
              </Link>
            </>
          )}
        </p>
      )}
      <Send />
    </div>
  );
}

/** Fixed values that look like keys; each can be moved to where it is kept secret. */
function Findings({ findings }: { findings: Schemas["RequestShown"]["findings"] }) {
  const { project, draft, change, mayTry } = useBench();
  const { service, environment, document } = draft;
  const move = useMoveKey(project);
  return (
    <>
      {findings.map((one) => (
        <div key={one.place} className="mb-1 border-l-2 border-error pl-2 text-xs">
          The {one.kind} <code className="font-mono">{one.name}</code> looks like a key: {one.reason}.
          {mayTry && service && one.place !== "/body/content" && (
            <button
              type="button"
              className="btn btn-xs mt-1 block"
              onClick={() =>
                move.mutate(
                  { service, environment, place: one.place, document },
                  {
                    onSuccess: (moved) =>
                      change({ type: "set", to: { document: moved.document as OperationDocument } }),
                  },
                )
              }
            >
              Move it into the credential
            </button>
          )}
        </div>
      ))}
      <ProblemAlert error={move.error} />
    </>
  );
}

/** Where it goes, what has to be said first, and the button. */
function Send() {
  const { project, draft, change, mayTry, request, trial, takeApart, send } = useBench();
  const { environment } = draft;
  const environments = useEnvironments(project);
  const isProtected = useEnvironmentList(project).data?.find((one) => one.name === environment)?.is_protected ?? false;
  const reads = isReading(draft.document);
  const hasNoValue = isEmpty(draft);
  const [confirmed, setConfirmed] = useState(false);
  const [hadNoValue, setHadNoValue] = useState(hasNoValue);
  if (hadNoValue !== hasNoValue) {
    // what was said of a request with values is not said of one without any
    setHadNoValue(hasNoValue);
    setConfirmed(false);
  }
  const [meant, setMeant] = useState(false);
  const problems = request.data?.problems.length ?? 0;
  const why = whyNotSent(draft, { mayTry, isTakingApart: takeApart.isPending, problems, confirmed });
  return (
    <>
      <div className="mt-2 flex items-center gap-2 text-sm">
        <label htmlFor="environment">in</label>
        <select
          id="environment"
          className="select select-sm w-28"
          value={environment}
          onChange={(e) => change({ type: "set", to: { environment: e.target.value } })}
        >
          {environments.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <span className="text-xs opacity-75">{reads ? "only reads" : "may change something"}</span>
      </div>
      {!reads && (
        <Said isSaid={confirmed} onSaid={setConfirmed}>
          {hasNoValue ? "No input has a value, and that is meant; send it" : "I have looked at the request; send it"}
        </Said>
      )}
      {!reads && isProtected && (
        <Said isSaid={meant} onSaid={setMeant}>
          {environment} is protected; writing there is meant
        </Said>
      )}
      <button
        type="button"
        className="btn btn-primary mt-3"
        aria-disabled={trial.isPending}
        disabled={why !== "" || (!request.data && !request.error) || (!reads && isProtected && !meant)}
        onClick={() => send(confirmed, meant)}
      >
        {trial.isPending ? "Waiting for the service" : "Send this request"}
      </button>
      <p className="mt-1 text-xs opacity-70">{why || "Sends the draft on this screen, saved or not."}</p>
      <div className="mt-2">
        <ProblemAlert error={trial.error} />
      </div>
    </>
  );
}

function Said({
  isSaid,
  onSaid,
  children,
}: {
  isSaid: boolean;
  onSaid: (isSaid: boolean) => void;
  children: React.ReactNode;
}) {
  return (
    <label className="mt-2 flex items-center gap-2 text-sm">
      <input
        type="checkbox"
        className="checkbox checkbox-sm"
        checked={isSaid}
        onChange={(e) => onSaid(e.target.checked)}
      />{" "}
      {children}
    </label>
  );
}

/** Every value of the request with where it comes from; each leads there. */
function Origins({ origins, connection }: { origins: Schemas["OriginItem"][]; connection: string }) {
  const { project, change } = useBench();
  const leads = (source: string) => {
    const input = /^(?:input|default) (.+)$/.exec(source)?.[1];
    const record = /^field \S+ of (\S+) (.+)$/.exec(source);
    if (record)
      return (
        <Link
          className="link"
          to={`/p/${project}/records/${record[1]}/${record[2]!.split(", ").map(encodeURIComponent).join("/")}`}
        >
          {source}
        </Link>
      );
    if (input)
      return (
        <button
          type="button"
          className="link text-left"
          onClick={() => document.querySelector<HTMLElement>(`[data-input="${input}"] :is(input, select)`)?.focus()}
        >
          {source}
        </button>
      );
    if (source.startsWith("standing value"))
      return (
        <Link className="link" to={`/p/${project}/environments`}>
          {source}
        </Link>
      );
    if (source === "connection" && connection)
      return (
        <Link className="link" to={`/p/${project}/connections/${connection}`}>
          {source}
        </Link>
      );
    return source === "operation" ? (
      <button
        type="button"
        className="link text-left"
        onClick={() => change({ type: "set", to: { isDescribing: true } })}
      >
        fixed in the operation
      </button>
    ) : (
      <>{source}</>
    );
  };
  const [isOpen, setOpen] = useState(false);
  return (
    <details className="mb-2 text-xs" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="cursor-pointer opacity-80">Where each value comes from</summary>
      <table className="mt-1 w-full">
        <tbody>
          {isOpen &&
            origins.map((one, number) => (
              <tr key={number} className="border-t border-base-300 align-top">
                <td className="py-1 pr-2 opacity-75">{one.place}</td>
                <td className="py-1 pr-2 font-mono break-all">
                  {one.name}
                  <span className="block opacity-75">{one.value.slice(0, 60)}</span>
                </td>
                <td className="py-1">
                  {leads(one.source)}
                  {one.replaces && <span className="block opacity-75">in place of {one.replaces}</span>}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </details>
  );
}
