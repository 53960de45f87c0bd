import type { Schemas } from "../../api/client";
import { Advice } from "../../ui/Advice";
import { bytes } from "../../ui/parts";
import type { Trial } from "./bench";

/** How a call went, in one line: reason and status, size and times. */
export function CallLine({ call, isGood }: { call: Schemas["Call"]; isGood: boolean }) {
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <p className={`font-semibold ${isGood ? "text-success" : "text-error"}`}>
        {call.reason || "status"}
        {call.status ? ` (${call.status})` : ""}
      </p>
      {call.size !== null && (
        <p className="text-sm">
          {bytes(call.size)}
          {call.timings && ` after ${call.timings.done.toFixed(0)} ms`}
        </p>
      )}
      {call.timings && <TimingBar timings={call.timings} />}
    </div>
  );
}

/** What became of a trial: by its status and the operation's rules, with what to do. */
export function Outcome({
  trial,
  onNothingFound,
  children,
}: {
  trial: Trial;
  /** Says that a 404 of this operation is no failure. */
  onNothingFound: () => void;
  children: React.ReactNode;
}) {
  const { call, outcome } = trial;
  if (!outcome)
    return (
      <div className="mb-2 border-l-4 border-error bg-error/8 px-3 py-2 text-sm" role="alert">
        <p className="font-medium text-error">No response: {call.error?.message}</p>
        <p className="font-mono text-xs break-all opacity-80">{call.error?.where}</p>
        <p>
          <Advice before="What to do: " hint={call.error?.hint} />
        </p>
      </div>
    );
  return (
    <div className="mb-2" aria-live="polite">
      <CallLine call={call} isGood={outcome.is_good} />
      {outcome.kind === "nothing_found" && (
        <p className="mt-1 border-l-4 border-info bg-info/10 px-3 py-1.5 text-sm">
          Nothing was found. By the operation's rules that is not a failure.
        </p>
      )}
      {!outcome.is_good && call.status === 404 && (
        <p className="mt-1 text-sm">
          <button type="button" className="link text-accent" onClick={onNothingFound}>
            404 here means that nothing was found
          </button>
        </p>
      )}
      {outcome.is_good && outcome.message && (
        <Remark>
          {outcome.words}. <span className="font-medium">The service says: {outcome.message}</span>
        </Remark>
      )}
      {trial.notes.map((one) => (
        <Remark key={one}>{one}</Remark>
      ))}
      {trial.differences.length > 0 && (
        <details className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">
          <summary className="cursor-pointer">
            {trial.differences.length === 1 ? "One place differs" : `${trial.differences.length} places differ`} from
            what the definition says of a response {trial.described}
          </summary>
          <ul className="mt-1 max-h-40 overflow-auto text-xs">
            {trial.differences.map((one) => (
              <li key={one.where + one.message}>
                <span className="font-mono">{one.where}</span> {one.message}
              </li>
            ))}
          </ul>
        </details>
      )}
      {children}
      {!outcome.is_good && (
        <div className="mt-1 border-l-4 border-error bg-error/8 px-3 py-2 text-sm">
          <p>{outcome.words}</p>
          {outcome.message && <p className="font-medium">The service says: {outcome.message}</p>}
          {outcome.hint && (
            <p className="opacity-85">
              <Advice before="What to do: " hint={outcome.hint} />
            </p>
          )}
        </div>
      )}
    </div>
  );
}

function Remark({ children }: { children: React.ReactNode }) {
  return <p className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">{children}</p>;
}

function TimingBar({ timings }: { timings: NonNullable<Schemas["Call"]["timings"]> }) {
  const whole = Math.max(timings.done, 0.01);
  const parts = [
    ["connect", timings.connected ?? 0, "bg-info/60"],
    ["wait", (timings.first_byte ?? whole) - (timings.connected ?? 0), "bg-accent/70"],
    ["read", whole - (timings.first_byte ?? whole), "bg-success/60"],
  ] as const;
  const words = parts
    .filter(([, time]) => time > 0)
    .map(([name, time]) => `${name} ${time.toFixed(1)} ms`)
    .join(", ");
  return (
    <div className="flex h-2 w-36 overflow-hidden rounded-full bg-base-300" role="img" aria-label={words} title={words}>
      {parts.map(([name, time, colour]) => (
        <div key={name} className={colour} style={{ width: `${(100 * Math.max(time, 0)) / whole}%` }} />
      ))}
    </div>
  );
}
