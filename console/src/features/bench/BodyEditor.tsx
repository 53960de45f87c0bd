import { X } from "lucide-react";
import { Fragment, useRef } from "react";
import type { Input, OperationDocument, Parameter } from "./bench";
import { type Body, Parameters } from "./Parameters";

interface Props {
  document: OperationDocument;
  standing: string[];
  onDocument: (document: OperationDocument) => void;
}

const KINDS: [Body["type"] | "none", string][] = [["none", "no body"], ["form", "form fields"], ["text", "text with places for values"]];

function begun(kind: string): Body | null {
  if (kind === "form") return { type: "form", fields: [] };
  if (kind === "text") return { type: "text", media_type: "application/json", content: "" };
  return null;
}

/** What is sent as the body, by its kind. */
export function BodyEditor({ document, standing, onDocument }: Props) {
  const inputs = document.inputs ?? [];
  const body = document.body ?? null;
  const put = (next: Body | null, more: Input[] = []) => onDocument({ ...document, body: next, inputs: [...inputs, ...more] });
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 text-sm font-medium">Body</legend>
      <select className="select select-xs mb-1 w-56" aria-label="Kind of body" value={body?.type ?? "none"} onChange={(e) => put(begun(e.target.value))}>
        {KINDS.map(([kind, words]) => <option key={kind} value={kind}>{words}</option>)}
      </select>
      {body?.type === "form" && <Parameters title="Fields" list={body.fields ?? []} inputs={inputs} standing={standing} onChange={(fields, more) => put({ ...body, fields }, more)} />}
      {body?.type === "text" && (
        <>
          <input className="input input-xs mb-1 w-56 font-mono" aria-label="Media type of the body" value={body.media_type ?? "application/json"} onChange={(e) => put({ ...body, media_type: e.target.value })} />
          <TextParts value={body.content ?? ""} inputs={inputs} standing={standing} onChange={(content) => put({ ...body, content })} />
        </>
      )}
    </fieldset>
  );
}

type Value = NonNullable<Parameter["value"]>;
type Part = string | { input?: string; standing?: string };

/** A text in which values have places: the places are chips, put in where the cursor stands. */
function TextParts({ value, inputs, standing, onChange }: { value: Value; inputs: Input[]; standing: string[]; onChange: (value: Value) => void }) {
  const cursor = useRef<{ part: number; at: number } | null>(null);
  const parts: Part[] = Array.isArray(value) ? value : [value];
  const put = (next: Part[]) => {
    const joined: Part[] = [];
    for (const one of next) {
      const last = joined.at(-1);
      if (typeof one === "string" && typeof last === "string") joined[joined.length - 1] = last + one;
      else joined.push(one);
    }
    onChange((joined.length === 1 ? joined[0]! : joined) as Value);
  };
  const insert = (source: string) => {
    const [kind, name = ""] = source.split(/:(.*)/s);
    const made: Part = kind === "standing" ? { standing: name } : { input: name };
    const spot = cursor.current;
    const text = spot ? parts[spot.part] : undefined;
    if (spot && typeof text === "string") put([...parts.slice(0, spot.part), text.slice(0, spot.at), made, text.slice(spot.at), ...parts.slice(spot.part + 1)]);
    else put([...parts, made, ""]);
  };
  const spread = typeof parts.at(-1) === "string" ? parts : [...parts, ""];
  return (
    <div className="text-xs">
      {spread.map((part, number) => (
        <Fragment key={number}>
          {typeof part === "string" ? (
            <textarea
              className="textarea min-h-0 w-full font-mono text-xs" aria-label={`text ${number + 1} of the body`} rows={Math.min(8, part.split("\n").length)} value={part} spellCheck={false}
              onSelect={(e) => { cursor.current = { part: number, at: e.currentTarget.selectionStart }; }}
              onChange={(e) => put(spread.map((one, at) => (at === number ? e.target.value : one)))}
            />
          ) : (
            <span className={`my-0.5 inline-flex items-center gap-1 rounded-selector px-1.5 py-0.5 ${part.standing ? "bg-secondary/12 text-secondary" : "bg-accent/12 text-accent"}`}>
              {part.standing ? `standing ${part.standing}` : `input ${part.input}`}
              <button type="button" aria-label={`take away ${part.standing || part.input}`} onClick={() => put(spread.filter((_, at) => at !== number))}><X className="size-3" aria-hidden /></button>
            </span>
          )}
        </Fragment>
      ))}
      <select className="select select-xs mt-1 w-56" aria-label="Put a value into the body" value="" onChange={(e) => e.target.value && insert(e.target.value)}>
        <option value="">put a value where the cursor is</option>
        {inputs.map((one) => <option key={one.name} value={`input:${one.name}`}>input {one.name}</option>)}
        {standing.map((name) => <option key={name} value={`standing:${name}`}>standing {name}</option>)}
      </select>
    </div>
  );
}
