import { X } from "lucide-react";
import { Fragment, useRef } from "react";
import type { Schemas } from "../api/client";

type Value = NonNullable<Schemas["Parameter"]["value"]>;
type Part = string | { input?: string; standing?: string; prepared?: string };

/** A text in which values have places: the places are chips, put in where the cursor stands. */
export function TextParts({
  value,
  label = "the body",
  inputs,
  standing,
  prepared = [],
  onChange,
}: {
  value: Value;
  label?: string;
  inputs: { name: string }[];
  standing: string[];
  prepared?: string[];
  onChange: (value: Value) => void;
}) {
  const cursor = useRef<{ part: number; at: number } | null>(null);
  const parts: Part[] = Array.isArray(value) ? value : [value];
  const put = (next: Part[]) => {
    const joined: Part[] = [];
    for (const one of next) {
      const last = joined.at(-1);
      if (typeof one === "string" && typeof last === "string") joined[joined.length - 1] = last + one;
      else joined.push(one);
    }
    onChange(joined.length === 1 ? joined[0]! : joined);
  };
  const insert = (source: string) => {
    const [kind, name = ""] = source.split(/:(.*)/s);
    const made: Part =
      kind === "standing" ? { standing: name } : kind === "prepared" ? { prepared: name } : { input: name };
    const spot = cursor.current;
    const text = spot ? parts[spot.part] : undefined;
    if (spot && typeof text === "string")
      put([
        ...parts.slice(0, spot.part),
        text.slice(0, spot.at),
        made,
        text.slice(spot.at),
        ...parts.slice(spot.part + 1),
      ]);
    else put([...parts, made, ""]);
  };
  const spread = typeof parts.at(-1) === "string" ? parts : [...parts, ""];
  return (
    <div className="text-xs">
      {spread.map((part, number) => (
        <Fragment key={number}>
          {typeof part === "string" ? (
            <textarea
              className="textarea min-h-0 w-full font-mono text-xs"
              aria-label={`text ${number + 1} of ${label}`}
              rows={Math.min(8, part.split("\n").length)}
              value={part}
              spellCheck={false}
              onSelect={(e) => {
                cursor.current = { part: number, at: e.currentTarget.selectionStart };
              }}
              onChange={(e) => put(spread.map((one, at) => (at === number ? e.target.value : one)))}
            />
          ) : (
            <span
              className={`my-0.5 inline-flex items-center gap-1 rounded-selector px-1.5 py-0.5 ${part.standing ? "bg-secondary/12 text-secondary" : "bg-accent/12 text-accent"}`}
            >
              {part.standing
                ? `standing ${part.standing}`
                : part.prepared
                  ? `query ${part.prepared}`
                  : `input ${part.input}`}
              <button
                type="button"
                aria-label={`take away ${part.standing || part.prepared || part.input}`}
                onClick={() => put(spread.filter((_, at) => at !== number))}
              >
                <X className="size-3" aria-hidden />
              </button>
            </span>
          )}
        </Fragment>
      ))}
      <select
        className="select select-xs mt-1 w-56"
        aria-label={`Put a value into ${label}`}
        value=""
        onChange={(e) => e.target.value && insert(e.target.value)}
      >
        <option value="">put a value where the cursor is</option>
        {inputs.map((one) => (
          <option key={one.name} value={`input:${one.name}`}>
            input {one.name}
          </option>
        ))}
        {standing.map((name) => (
          <option key={name} value={`standing:${name}`}>
            standing {name}
          </option>
        ))}
        {prepared.map((name) => (
          <option key={name} value={`prepared:${name}`}>
            query {name}
          </option>
        ))}
      </select>
    </div>
  );
}
