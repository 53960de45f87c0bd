import { ChevronDown, ChevronRight } from "lucide-react";
import { Fragment, useEffect, useMemo, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { bytes, Empty, Heading, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { FIELD_TYPES, takenPaths, useText, useTree, type FieldType, type OperationDocument, type Plan, type Sample } from "./bench";
import { CompareWith } from "./CompareWith";
import { DescribedBy } from "./DescribedBy";
import { fromRow, generalPath, isXPath, mapsIn, wholePath } from "./paths";

type OutlineLine = Schemas["OutlineLine"];
const VIEWS = ["tree", "schema", "text", "headers", "compare"] as const;

export interface ResponseProps {
  project: string;
  trial: Schemas["TrialShown"] | null;
  isSending: boolean;
  lines: OutlineLine[];
  corrections: Schemas["Correction"][];
  plan: Plan | null;
  lit: string | null;
  focus: string | null;
  onPoint: (pointer: string | null) => void;
  onRows: (path: string) => void;
  onTake: (path: string, type: FieldType, convert: OutlineLine["convert"]) => void;
  onLeave: (field: string) => void;
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
  onPaste?: (text: string) => void;
  isPasting?: boolean;
  pasteError?: unknown;
  /** The operation's document and how it is changed, to say by what its responses are described. */
  document?: OperationDocument;
  onDocument?: (document: OperationDocument) => void;
  /** Only the tree is shown, as the source of a kept record. */
  isSource?: boolean;
}

/** The middle: what came back, as tree, schema, text and headers. */
export function ResponsePane(props: ResponseProps) {
  const { trial } = props;
  const maps = useMemo(() => mapsIn(props.lines), [props.lines]);
  const [view, setView] = useState<(typeof VIEWS)[number]>("tree");
  if (props.isSending) return <div className="p-3"><Heading>Response</Heading><Waiting what="Waiting for the service" /></div>;
  if (!trial) {
    return (
      <div className="p-3">
        <Heading aside={props.onLookAt && <Samples {...props} />}>Response</Heading>
        <Empty title="Nothing was sent yet">Fill the inputs on the left, look at the request, and send it. What comes back stands here.</Empty>
        {props.onPaste && <Paste onPaste={props.onPaste} isPasting={props.isPasting ?? false} error={props.pasteError} />}
      </div>
    );
  }
  const { call, outcome } = trial;
  return (
    <div className="flex flex-col p-3 lg:h-full lg:min-h-0">
      <Heading aside={props.onLookAt && <Samples {...props} />}>{props.isSource ? "Where it came from" : "Response"}</Heading>
      {outcome ? (
        <div className="mb-2" aria-live="polite">
          <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
            <p className={`font-semibold ${outcome.is_good ? "text-success" : "text-error"}`}>{call.reason || "status"}{call.status ? ` (${call.status})` : ""}</p>
            {call.timings && <p className="text-sm">{bytes(call.size)} after {call.timings.done.toFixed(0)} ms</p>}
            {call.timings && <TimingBar timings={call.timings} />}
          </div>
          {outcome.kind === "nothing_found" && <p className="mt-1 border-l-4 border-info bg-info/10 px-3 py-1.5 text-sm">Nothing was found. By the operation's rules that is no failure.</p>}
          {!outcome.is_good && call.status === 404 && props.document && props.onDocument && (
            <p className="mt-1 text-sm"><button type="button" className="link text-accent" onClick={() => props.onDocument!({ ...props.document!, outcomes: { ...props.document!.outcomes, nothing_found: { ...props.document!.outcomes?.nothing_found, statuses: [404] } } })}>404 here means that nothing was found</button></p>
          )}
          {outcome.is_good && outcome.message && (
            <p className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">{outcome.words}. <span className="font-medium">The service says: {outcome.message}</span></p>
          )}
          {"described" in trial && trial.differences.length > 0 && (
            <details className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">
              <summary className="cursor-pointer">{trial.differences.length === 1 ? "One place is" : `${trial.differences.length} places are`} otherwise than the definition says of a response {trial.described}</summary>
              <ul className="mt-1 max-h-40 overflow-auto text-xs">
                {trial.differences.map((one) => <li key={one.where + one.message}><span className="font-mono">{one.where}</span> {one.message}</li>)}
              </ul>
            </details>
          )}
          {!outcome.is_good && (
            <div className="mt-1 border-l-4 border-error bg-error/8 px-3 py-2 text-sm">
              <p>{outcome.words}</p>
              {outcome.message && <p className="font-medium">The service says: {outcome.message}</p>}
              {outcome.hint && <p className="opacity-85">What to do: {outcome.hint}</p>}
            </div>
          )}
        </div>
      ) : (
        <div className="mb-2 border-l-4 border-error bg-error/8 px-3 py-2 text-sm" role="alert">
          <p className="font-medium text-error">No response: {call.error?.message}</p>
          <p className="font-mono text-xs break-all opacity-80">{call.error?.where}</p>
          <p>What to do: {call.error?.hint}</p>
        </div>
      )}
      <div role="tablist" className="mb-2 flex flex-wrap items-center gap-4 border-b border-base-300 text-sm">
        {VIEWS.filter((one) => !props.isSource || one === "tree" || one === "text").map((one) => (
          <button key={one} type="button" role="tab" aria-selected={view === one} className={`-mb-px cursor-pointer border-b-2 pb-1 ${view === one ? "border-accent font-medium" : "border-transparent opacity-75"}`} onClick={() => setView(one)}>
            {one}
          </button>
        ))}
        {trial.body && outcome?.is_good && (
          <span className="ml-auto pb-1 text-xs">
            {!props.isSource && (
              <>
                {props.keptSample ? `kept as ${props.keptSample}` : <button type="button" className="link" onClick={props.onKeepSample}>keep as sample</button>}
                {" · "}
              </>
            )}
            <a className="link" href={`/api/v1/projects/${props.project}/bodies/${trial.body}/content`} download>save to a file</a>
          </span>
        )}
      </div>
      <ProblemAlert error={props.keepError} />
      {view === "headers" ? (
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
        <CompareWith project={props.project} body={trial.body} />
      ) : view === "text" ? (
        <BodyText project={props.project} body={trial.body} />
      ) : trial.unreadable ? (
        <div className="text-sm">
          <p className="mb-2 border-l-4 border-warning px-3 py-1">{trial.unreadable}</p>
          <BodyText project={props.project} body={trial.body} />
        </div>
      ) : view === "schema" ? (
        <div className="min-h-0 overflow-auto">
          {props.document && props.onDocument && <DescribedBy project={props.project} document={props.document} onDocument={props.onDocument} />}
          {(props.sampleCount ?? 1) > 1 && <p className="mb-1 text-xs opacity-80">Over this response and {props.sampleCount === 2 ? "a sample" : `${props.sampleCount! - 1} samples`} of the operation.</p>}
          <SchemaTable {...props} />
        </div>
      ) : (
        <div role="tree" aria-label="The response" className="min-h-0 overflow-auto font-mono text-xs" onMouseLeave={() => props.onPoint(null)}>
          <Branch {...props} maps={maps} body={trial.body} pointer="" path="$" depth={0} isOpen />
        </div>
      )}
    </div>
  );
}

/** The kept samples, each to be looked at in place of the response. */
function Samples({ samples = [], trial, onLookAt }: ResponseProps) {
  if (samples.length === 0 || !onLookAt) return null;
  return (
    <select className="select select-ghost select-xs w-auto max-w-56" aria-label="Look at a kept sample" value={samples.some((one) => one.body === trial?.body) ? trial!.body! : ""} onChange={(e) => { const chosen = samples.find((one) => one.body === e.target.value); if (chosen) onLookAt(chosen); }}>
      <option value="">{samples.length === 1 ? "a sample is kept" : `${samples.length} samples are kept`}</option>
      {samples.map((one) => <option key={one.name} value={one.body}>{one.title || one.name}</option>)}
    </select>
  );
}

/** The side door: a response from a documentation or a file, pasted. */
function Paste({ onPaste, isPasting, error }: { onPaste: (text: string) => void; isPasting: boolean; error: unknown }) {
  const [text, setText] = useState("");
  return (
    <form
      className="mt-4"
      onSubmit={(event) => {
        event.preventDefault();
        onPaste(text);
      }}
    >
      <label htmlFor="pasted" className="text-sm font-medium">Or paste a response</label>
      <textarea id="pasted" className="textarea mt-1 h-40 w-full font-mono text-xs" placeholder={'JSON, XML, or one JSON value a line, such as\n{"trees": [{"number": "OLM-00412", "girth": 2.5}]}'} value={text} onChange={(event) => setText(event.target.value)} />
      <ProblemAlert error={error} />
      <button className="btn btn-sm mt-2" disabled={!text.trim() || isPasting}>{isPasting ? "Reading" : "Keep it as a sample and look"}</button>
    </form>
  );
}

function TimingBar({ timings }: { timings: NonNullable<Schemas["CallLine"]["timings"]> }) {
  const whole = Math.max(timings.done, 0.01);
  const parts = [
    ["connect", timings.connected ?? 0, "bg-info/60"],
    ["wait", (timings.first_byte ?? whole) - (timings.connected ?? 0), "bg-accent/70"],
    ["read", whole - (timings.first_byte ?? whole), "bg-success/60"],
  ] as const;
  const words = parts.filter(([, time]) => time > 0).map(([name, time]) => `${name} ${time.toFixed(1)} ms`).join(", ");
  return (
    <div className="flex h-2 w-36 overflow-hidden rounded-full bg-base-300" role="img" aria-label={words} title={words}>
      {parts.map(([name, time, colour]) => <div key={name} className={colour} style={{ width: `${(100 * Math.max(time, 0)) / whole}%` }} />)}
    </div>
  );
}

function BodyText({ project, body }: { project: string; body: string }) {
  const text = useText(project, body, true);
  if (text.isPending) return <Waiting what="Reading" />;
  if (text.error) return <ProblemAlert error={text.error} />;
  return (
    <>
      <pre className="max-h-[70vh] min-h-0 overflow-auto font-mono text-xs break-all whitespace-pre-wrap">{text.data.text}</pre>
      {!text.data.is_whole && <p className="text-xs opacity-75">This is the beginning of {bytes(text.data.size)}; save it to a file for the rest.</p>}
    </>
  );
}

interface BranchProps extends ResponseProps {
  body: string;
  maps: ReadonlySet<string>;
  pointer: string;
  path: string;
  depth: number;
  isOpen: boolean;
}

/** The members of one list or object, fetched when it is opened. */
function Branch(props: BranchProps) {
  const { project, body, pointer, depth, focus } = props;
  const inFocus = focus !== null && focus.startsWith(`${pointer}/`) ? Number(focus.slice(pointer.length + 1).split("/")[0]) : NaN;
  const [limit, setLimit] = useState(50);
  const needed = Number.isFinite(inFocus) && inFocus >= limit ? Math.min(500, Math.ceil((inFocus + 10) / 50) * 50) : limit;
  const piece = useTree(project, body, pointer, needed, true);
  if (piece.isPending) return <p className="pl-4 opacity-60">…</p>;
  if (piece.error) return <ProblemAlert error={piece.error} />;
  return (
    <>
      {piece.data.nodes.map((node, number) => <TreeLine key={node.pointer} {...props} node={node} isFirst={number === 0 || piece.data.kind === "object"} depth={depth} />)}
      {piece.data.count > needed && (
        <button type="button" className="link py-1" style={{ marginLeft: `${depth + 1}rem` }} onClick={() => setLimit(Math.min(500, needed + 100))}>
          {piece.data.count - needed} more
        </button>
      )}
    </>
  );
}

function TreeLine(props: BranchProps & { node: Schemas["NodeLine"]; isFirst: boolean }) {
  const { node, depth, lines, plan, lit, focus } = props;
  // the text of an element with attributes is what the element itself is read as
  const general = generalPath(node.path, props.maps).replace(/\/text\(\)$/, "");
  const holds = node.kind === "object" || node.kind === "array";
  const focused = focus !== null && (focus === node.pointer || focus.startsWith(`${node.pointer}/`));
  const [isOpen, setOpen] = useState(depth < 5 && node.count > 0 && (focused || (props.isFirst && (focus === null || node.kind === "object" || !props.isSource) && !(props.isSource && props.pointer !== "" && /^\d+$/.test(node.name)))));
  const line = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (focused && holds) setOpen(true);
    if (focus === node.pointer) line.current?.scrollIntoView({ block: "nearest" });
  }, [focused, focus, holds, node.pointer]);
  const outlineLine = lines.find((one) => one.path === general);
  const isXml = isXPath(node.path);
  const whole = plan ? wholePath(plan.rows) : null;
  const isMap = props.maps.has(general);
  const isRowList = (node.kind === "array" || isMap) && whole === (isXml ? general : `${general}[*]`);
  const isRow = whole === general && !isRowList;
  const mayRepeat = node.kind === "array" || isMap ? node.count > 0 : isXml && node.kind === "object" && !/^\d+$/.test(node.name);
  const relative = plan ? fromRow(general, plan.rows) : null;
  const field = relative && plan ? takenPaths(plan).get(relative) : undefined;
  const rowLists = isXml ? (lines.find((one) => one.path === whole)?.lists ?? 0) : 0;
  const canTake = relative !== null && outlineLine?.type !== undefined && outlineLine.type !== "" && plan !== null && outlineLine.lists <= rowLists;
  const isLit = lit === node.pointer;
  const name = /^\d+$/.test(node.name) && (isXml || node.path.endsWith(`[${node.name}]`)) ? <span className="text-accent">{isXml ? Number(node.name) + 1 : node.name}</span> : <span>{node.name}</span>;
  return (
    <div role="treeitem" aria-expanded={holds ? isOpen : undefined} aria-level={depth + 1} aria-selected={isLit}>
      <div
        ref={line}
        className={`group flex items-start gap-2 rounded-selector py-px pr-1 ${isLit ? "bg-accent/20 outline outline-accent" : ""}`}
        style={{ paddingLeft: `${depth}rem` }}
        onMouseEnter={() => props.onPoint(node.pointer)}
      >
        {holds ? (
          <button type="button" className="mt-0.5 shrink-0 cursor-pointer" aria-label={`${isOpen ? "close" : "open"} ${node.name}`} onClick={() => setOpen(!isOpen)}>
            {isOpen ? <ChevronDown className="size-3.5" aria-hidden /> : <ChevronRight className="size-3.5" aria-hidden />}
          </button>
        ) : (
          <span className="w-3.5 shrink-0" />
        )}
        <span className="min-w-0 flex-1 break-words">
          {name}
          {holds ? <span className="ml-2 opacity-60">{node.kind === "array" ? `list of ${node.count}` : isOpen ? "" : `${node.count} parts`}</span> : <Value node={node} canTake={canTake} field={field} onToggle={() => (field ? props.onLeave(field) : props.onTake(relative!, outlineLine!.type as FieldType, outlineLine!.convert))} />}
        </span>
        <span className="shrink-0 text-right text-[0.92em] opacity-75">
          {isRowList && <span className="mr-2 text-accent">each is a row</span>}
          {mayRepeat && !isRow && !isRowList && lines.length > 0 && (
            <button type="button" className="link mr-2 hidden group-focus-within:inline group-hover:inline" onClick={() => props.onRows(isXml ? general : `${general}[*]`)}>{node.kind === "array" || isMap ? "make these the rows" : "make this the row"}</button>
          )}
          {!props.pointer.match(/\/[1-9]\d*(\/|$)/) && outlineLine && !(isXml && (/^\d+$/.test(node.name) || (holds && outlineLine.type))) && note(outlineLine)}
        </span>
      </div>
      {holds && isOpen && <Branch {...props} pointer={node.pointer} path={node.path} depth={depth + 1} isOpen />}
    </div>
  );
}

function Value({ node, canTake, field, onToggle }: { node: Schemas["NodeLine"]; canTake: boolean; field: string | undefined; onToggle: () => void }) {
  const colour = node.kind === "string" ? "text-success" : node.kind === "null" ? "opacity-60" : "text-info";
  const text = <span className={colour}>{node.text.length > 200 ? `${node.text.slice(0, 200)}…` : node.text}</span>;
  if (!canTake) return <span className="ml-2">{text}</span>;
  return (
    <button type="button" className="ml-2 cursor-pointer text-left hover:underline" title={field ? `taken as ${field}; click to leave it out` : "click to take it"} onClick={onToggle}>
      {text}
      <span className={`ml-2 rounded-full px-1.5 ${field ? "bg-accent/15 text-accent" : "hidden border border-dashed border-base-content/30 opacity-70 group-hover:inline"}`}>{field ?? "take"}</span>
    </button>
  );
}

/** What samples say of a part, in a few words. */
function note(line: OutlineLine): string {
  const whole = line.type === "decimal" && line.fractional > 0 && line.fractional < line.seen - line.nulls ? `whole in ${Math.round((100 * (line.seen - line.nulls - line.fractional)) / Math.max(1, line.seen - line.nulls))}%` : "";
  const range = line.lengths && line.lengths[0] !== line.lengths[1] ? `${line.lengths[0]} to ${line.lengths[1]} of them` : "";
  const kind = line.lengths ? range : line.key_count ? `${line.key_count} keys, which are data` : line.type;
  const there = line.presence < 1 ? `${Math.round(100 * (1 - line.presence))}% missing` : "";
  return [kind, whole, there, line.nulls ? `${line.nulls} null` : ""].filter(Boolean).join(" · ");
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
                      onBlur={(e) => e.target.value && e.target.value !== line.name && onCorrect({ ...own, path: line.path, name: e.target.value })}
                    />
                  ) : (
                    line.name || "the response"
                  )}
                </td>
                <td className="pr-2">
                  {line.type ? (
                    <select className="select select-ghost select-xs w-24" aria-label={`type of ${line.path}`} value={line.type} onChange={(e) => onCorrect({ ...own, path: line.path, type: e.target.value as FieldType })}>
                      {FIELD_TYPES.map((one) => <option key={one}>{one}</option>)}
                    </select>
                  ) : (
                    line.types.join(" or ")
                  )}
                </td>
                <td className="pr-2 whitespace-nowrap">{Math.round(line.presence * 100)}%{line.nulls > 0 && `, ${line.nulls} null`}</td>
                <td className="max-w-56 truncate" title={line.examples.join("  ")}>
                  {line.range && line.range[0] !== line.range[1] ? `${line.range[0]} … ${line.range[1]}` : line.examples.slice(0, 2).join("  ")}
                  {line.key_count > 0 && `${line.key_count} keys, such as ${line.keys[0]} `}
                  {line.types.includes("object") && line.path.startsWith("$") && line.path !== "$" && (
                    <button type="button" className="link font-sans opacity-80" title={line.key_count ? "each is a part of its own" : "the object holds one thing for each key"} onClick={() => onCorrect({ ...own, path: line.path, keys: line.key_count ? "names" : "data" })}>
                      {line.key_count ? "they are names" : "its keys are data"}
                    </button>
                  )}
                </td>
              </tr>
              {line.alternatives && (
                <tr>
                  <td colSpan={4} className="pb-1 font-sans" style={{ paddingLeft: `${line.depth * 0.8 + 0.8}rem` }}>
                    Of several kinds, told by <span className="font-mono">{line.alternatives.field}</span>:{" "}
                    {line.alternatives.values.map((one, number) => (
                      <Fragment key={one.value}>
                        {number > 0 && "; "}
                        <span className="font-mono font-medium">{one.value}</span> {one.members.length ? <>has <span className="font-mono">{one.members.join(", ")}</span></> : "has nothing of its own"}
                        {onFilter && line.path === rows && <> <button type="button" className="link text-accent" onClick={() => onFilter(line.alternatives!.field, one.value)}>only these</button></>}
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

