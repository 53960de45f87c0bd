import { Fragment, useMemo, useState } from "react";
import type { Schemas } from "../../api/client";
import { bytes, Empty, Heading, Waiting } from "../../ui/parts";
import { Advice } from "../../ui/Advice";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type OperationDocument, type Sample } from "./bench";
import { FIELD_TYPES, type FieldType, type Plan } from "./plan";
import { CompareWith } from "./CompareWith";
import { DescribedBy } from "./DescribedBy";
import { BodyText } from "./BodyText";
import { Otherwise } from "./Otherwise";
import { mapsIn, wholePath } from "./paths";
import { Tree } from "./Tree";

type OutlineItem = Schemas["OutlineItem"];
const VIEWS = ["tree", "schema", "text", "headers", "compare"] as const;

export interface ResponseProps {
  project: string;
  trial: Schemas["TrialShown"] | null;
  isSending: boolean;
  lines: OutlineItem[];
  corrections: Schemas["Correction"][];
  plan: Plan | null;
  lit: string | null;
  focus: string | null;
  onPoint: (pointer: string | null) => void;
  onRows: (path: string) => void;
  onTake: (path: string, type: FieldType, convert: OutlineItem["convert"]) => void;
  onLeave: (field: string) => void;
  /** The body of the response before this one. */
  bodyBefore?: string | null;
  /** Bodies of the kept samples that the response is held against. */
  earlier?: string[];
  /** Of how many responses the lines are. */
  sampleCount?: number;
  /** Kept samples of the operation, which can be looked at in place of the response. */
  samples?: Sample[];
  onLookAt?: (sample: Sample) => void;
  /** Lets only rows pass that have this text in this member. */
  onFilter?: (member: string, text: string) => void;
  onCorrect: (correction: Schemas["Correction"]) => void;
  onKeepSample: () => void;
  keptSample: string | null;
  keepError: unknown;
  onPaste?: (content: string | File) => void;
  isPasting?: boolean;
  pasteError?: unknown;
  /** The operation's document and how it is changed, to say by what its responses are described. */
  document?: OperationDocument;
  onDocument?: (document: OperationDocument) => void;
  /** Only the tree is shown, as the source of a kept record. */
  isSource?: boolean;
  /** Asks where the values at a place went. */
  onWhereTo?: (pointer: string) => void;
}

/** A response that is only looked at, as the source of kept records. */
export const AS_SOURCE = {
  isSource: true,
  isSending: false,
  lines: [],
  corrections: [],
  plan: null,
  onRows: () => undefined,
  onTake: () => undefined,
  onLeave: () => undefined,
  onCorrect: () => undefined,
  onKeepSample: () => undefined,
  keptSample: "",
  keepError: null,
};

/** The middle: what came back, as tree, schema, text and headers. */
export function ResponsePane(props: ResponseProps) {
  const { trial } = props;
  const maps = useMemo(() => mapsIn(props.lines), [props.lines]);
  const [view, setView] = useState<(typeof VIEWS)[number]>("tree");
  if (props.isSending)
    return (
      <div className="p-3">
        <Heading>Response</Heading>
        <Waiting what="Waiting for the service" />
      </div>
    );
  if (!trial) {
    return (
      <div className="p-3">
        <Heading aside={props.onLookAt && <Samples {...props} />}>Response</Heading>
        <Empty title="Nothing was sent yet">
          Fill the inputs on the left, look at the request, and send it. What comes back stands here.
        </Empty>
        {props.onPaste && (
          <Paste onPaste={props.onPaste} isPasting={props.isPasting ?? false} error={props.pasteError} />
        )}
      </div>
    );
  }
  const { call, outcome } = trial;
  return (
    <div className="flex flex-col p-3 lg:h-full lg:min-h-0">
      <Heading aside={props.onLookAt && <Samples {...props} />}>
        {props.isSource && !props.onWhereTo ? "Where it came from" : "Response"}
      </Heading>
      {outcome ? (
        <div className="mb-2" aria-live="polite">
          <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
            <p className={`font-semibold ${outcome.is_good ? "text-success" : "text-error"}`}>
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
          {outcome.kind === "nothing_found" && (
            <p className="mt-1 border-l-4 border-info bg-info/10 px-3 py-1.5 text-sm">
              Nothing was found. By the operation's rules that is not a failure.
            </p>
          )}
          {!outcome.is_good && call.status === 404 && props.document && props.onDocument && (
            <p className="mt-1 text-sm">
              <button
                type="button"
                className="link text-accent"
                onClick={() =>
                  props.onDocument!({
                    ...props.document!,
                    outcomes: {
                      ...props.document!.outcomes,
                      nothing_found: { ...props.document!.outcomes?.nothing_found, statuses: [404] },
                    },
                  })
                }
              >
                404 here means that nothing was found
              </button>
            </p>
          )}
          {outcome.is_good && outcome.message && (
            <p className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">
              {outcome.words}. <span className="font-medium">The service says: {outcome.message}</span>
            </p>
          )}
          {trial.notes.map((one) => (
            <p key={one} className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">
              {one}
            </p>
          ))}
          {"described" in trial && trial.differences.length > 0 && (
            <details className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">
              <summary className="cursor-pointer">
                {trial.differences.length === 1 ? "One place differs" : `${trial.differences.length} places differ`}{" "}
                from what the definition says of a response {trial.described}
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
          {trial.body && !trial.unreadable && outcome.is_good && (
            <Otherwise {...props} body={trial.body} earlier={props.earlier ?? []} />
          )}
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
      ) : (
        <div className="mb-2 border-l-4 border-error bg-error/8 px-3 py-2 text-sm" role="alert">
          <p className="font-medium text-error">No response: {call.error?.message}</p>
          <p className="font-mono text-xs break-all opacity-80">{call.error?.where}</p>
          <p>
            <Advice before="What to do: " hint={call.error?.hint} />
          </p>
        </div>
      )}
      {outcome && (
        <div role="tablist" className="mb-2 flex flex-wrap items-center gap-4 border-b border-base-300 text-sm">
          {VIEWS.filter((one) => !props.isSource || one === "tree" || one === "text").map((one) => (
            <button
              key={one}
              type="button"
              role="tab"
              aria-selected={view === one}
              className={`-mb-px cursor-pointer border-b-2 pb-1 ${view === one ? "border-accent font-medium" : "border-transparent opacity-75"}`}
              onClick={() => setView(one)}
            >
              {one}
            </button>
          ))}
          {trial.body && outcome?.is_good && (
            <span className="ml-auto pb-1 text-xs">
              {!props.isSource && (
                <>
                  {props.keptSample ? (
                    `kept as ${props.keptSample}`
                  ) : (
                    <button type="button" className="link" onClick={props.onKeepSample}>
                      keep as sample
                    </button>
                  )}
                  {" · "}
                </>
              )}
              <a className="link" href={`/api/v1/projects/${props.project}/bodies/${trial.body}/content`} download>
                save to a file
              </a>
            </span>
          )}
        </div>
      )}
      <ProblemAlert error={props.keepError} />
      {!outcome ? null : view === "headers" ? (
        <dl className="overflow-auto font-mono text-xs">
          {call.headers.map(([name, value], number) => (
            <div key={number} className="grid grid-cols-[9rem_1fr] gap-2 border-b border-base-300 py-1">
              <dt className="text-secondary">{name}</dt>
              <dd className="break-all">{value}</dd>
            </div>
          ))}
        </dl>
      ) : !trial.body ? (
        <p className="text-sm opacity-80">The response has no body.</p>
      ) : view === "compare" ? (
        <CompareWith project={props.project} body={trial.body} before={props.bodyBefore ?? null} />
      ) : view === "text" ? (
        <BodyText project={props.project} body={trial.body} />
      ) : trial.unreadable ? (
        <div className="text-sm">
          <p className="mb-2 border-l-4 border-warning px-3 py-1">{trial.unreadable}</p>
          <BodyText project={props.project} body={trial.body} />
        </div>
      ) : view === "schema" ? (
        <div className="min-h-0 overflow-auto">
          {props.document && props.onDocument && (
            <DescribedBy project={props.project} document={props.document} onDocument={props.onDocument} />
          )}
          {(props.sampleCount ?? 1) > 1 && (
            <p className="mb-1 text-xs opacity-80">
              Over this response and {props.sampleCount === 2 ? "a sample" : `${props.sampleCount! - 1} samples`} of the
              operation.
            </p>
          )}
          <SchemaTable {...props} />
        </div>
      ) : (
        <Tree {...props} key={trial.body} maps={maps} body={trial.body} />
      )}
    </div>
  );
}

/** The kept samples, each to be looked at in place of the response. */
function Samples({ samples = [], trial, onLookAt }: ResponseProps) {
  if (samples.length === 0 || !onLookAt) return null;
  return (
    <select
      className="select select-ghost select-xs w-auto max-w-56"
      aria-label="Look at a kept sample"
      value={samples.some((one) => one.body === trial?.body) ? trial!.body! : ""}
      onChange={(e) => {
        const chosen = samples.find((one) => one.body === e.target.value);
        if (chosen) onLookAt(chosen);
      }}
    >
      <option value="">{samples.length === 1 ? "a sample is kept" : `${samples.length} samples are kept`}</option>
      {samples.map((one) => (
        <option key={one.name} value={one.body}>
          {one.title || one.name}
        </option>
      ))}
    </select>
  );
}

/** The side door: a response from a documentation or a file, pasted. */
function Paste({
  onPaste,
  isPasting,
  error,
}: {
  onPaste: (content: string | File) => void;
  isPasting: boolean;
  error: unknown;
}) {
  const [text, setText] = useState("");
  return (
    <form
      className="mt-4"
      onSubmit={(event) => {
        event.preventDefault();
        onPaste(text);
      }}
    >
      <label htmlFor="pasted" className="text-sm font-medium">
        Or paste a response
      </label>
      <textarea
        id="pasted"
        className="textarea mt-1 h-40 w-full font-mono text-xs"
        placeholder={'JSON, XML, or one JSON value a line, such as\n{"trees": [{"number": "OLM-00412", "girth": 2.5}]}'}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <ProblemAlert error={error} />
      <button className="btn btn-sm mt-2" disabled={!text.trim() || isPasting}>
        {isPasting ? "Reading" : "Keep it as a sample and look"}
      </button>
      <label className="ml-3 text-sm">
        <span className="link cursor-pointer">or from a file</span>
        <input
          type="file"
          className="sr-only"
          aria-label="A response from a file"
          disabled={isPasting}
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) onPaste(file);
            event.target.value = "";
          }}
        />
      </label>
    </form>
  );
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

function SchemaTable({ lines, onCorrect, corrections, project, trial, plan, onFilter }: ResponseProps) {
  const rows = plan ? wholePath(plan.rows) : null;
  return (
    <table className="w-full text-xs">
      <thead>
        <tr className="text-left text-secondary">
          <th className="py-1 font-medium">part</th>
          <th className="font-medium">read as</th>
          <th className="font-medium">there</th>
          <th className="font-medium">for example</th>
        </tr>
      </thead>
      <tbody className="font-mono">
        {lines.map((line) => {
          const own = corrections.find((one) => one.path === line.path);
          return (
            <Fragment key={line.path}>
              <tr className={`border-t border-base-300 ${line.is_corrected ? "bg-accent/8" : ""}`}>
                <td className="py-1 pr-2" style={{ paddingLeft: `${line.depth * 0.8}rem` }}>
                  {line.type && line.name !== "each" ? (
                    <input
                      key={`${project}${trial?.body}${line.path}${line.name}`}
                      className="input input-ghost input-xs w-28 px-1 hover:border-base-300"
                      aria-label={`name of ${line.path}`}
                      defaultValue={line.name}
                      onBlur={(e) =>
                        e.target.value &&
                        e.target.value !== line.name &&
                        onCorrect({ ...own, path: line.path, name: e.target.value })
                      }
                    />
                  ) : (
                    line.name || "the response"
                  )}
                </td>
                <td className="pr-2">
                  {line.type ? (
                    <select
                      className="select select-ghost select-xs w-24"
                      aria-label={`type of ${line.path}`}
                      value={line.type}
                      onChange={(e) => onCorrect({ ...own, path: line.path, type: e.target.value as FieldType })}
                    >
                      {FIELD_TYPES.map((one) => (
                        <option key={one}>{one}</option>
                      ))}
                    </select>
                  ) : (
                    line.types.join(" or ")
                  )}
                </td>
                <td className="pr-2 whitespace-nowrap">
                  {Math.round(line.presence * 100)}%{line.nulls > 0 && `, ${line.nulls} null`}
                </td>
                <td className="max-w-56 truncate" title={line.examples.join("  ")}>
                  {line.range && line.range[0] !== line.range[1]
                    ? `${line.range[0]} … ${line.range[1]}`
                    : line.examples.slice(0, 2).join("  ")}
                  {line.key_count > 0 && `${line.key_count} keys `}
                  {line.types.includes("object") && line.path.startsWith("$") && line.path !== "$" && (
                    <button
                      type="button"
                      className="link font-sans opacity-80"
                      title={line.key_count ? "each is a part of its own" : "the object holds one thing for each key"}
                      onClick={() => onCorrect({ ...own, path: line.path, keys: line.key_count ? "names" : "data" })}
                    >
                      {line.key_count ? "they are names" : "its keys are data"}
                    </button>
                  )}
                  {line.key_count > 0 && `, such as ${line.keys[0]}`}
                </td>
              </tr>
              {line.alternatives && (
                <tr>
                  <td colSpan={4} className="pb-1 font-sans" style={{ paddingLeft: `${line.depth * 0.8 + 0.8}rem` }}>
                    Of several kinds, told by <span className="font-mono">{line.alternatives.field}</span>:{" "}
                    {line.alternatives.values.map((one, number) => (
                      <Fragment key={one.value}>
                        {number > 0 && "; "}
                        <span className="font-mono font-medium">{one.value}</span>{" "}
                        {one.members.length ? (
                          <>
                            has <span className="font-mono">{one.members.join(", ")}</span>
                          </>
                        ) : (
                          "has nothing of its own"
                        )}
                        {onFilter && line.path === rows && (
                          <>
                            {" "}
                            <button
                              type="button"
                              className="link text-accent"
                              onClick={() => onFilter(line.alternatives!.field, one.value)}
                            >
                              only these
                            </button>
                          </>
                        )}
                      </Fragment>
                    ))}
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}
