import { useState } from "react";
import type { Column } from "./columns";

const WORDS: Record<string, string> = { equal: "is", begins: "begins with", from: "at least", to: "at most" };
/** Parameters of the page's address that are no filters. */
export const NO_FILTERS = ["environment", "sort", "gone", "local"];

/** Filters of a list of records. waysOf: how it can be filtered by a field; none if it cannot. */
export function Filters({
  fields,
  waysOf,
  query,
  onSet,
  onClear,
}: {
  fields: Column[];
  waysOf: (name: string) => string[];
  query: URLSearchParams;
  onSet: (name: string, value: string) => void;
  onClear: () => void;
}) {
  const [field, setField] = useState("");
  const [how, setHow] = useState("equal");
  const [value, setValue] = useState("");
  const active = [...query].filter(([name]) => !NO_FILTERS.includes(name));
  const chosen = fields.find((one) => one.name === field);
  const ways = chosen ? waysOf(chosen.name) : [];
  if (fields.length === 0) return null;
  return (
    <div className="mb-4 flex flex-wrap items-center gap-2 text-sm">
      <form
        className="flex flex-wrap items-center gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          onSet(how === "equal" ? field : `${field}.${how}`, value);
        }}
      >
        <select
          className="select select-sm w-36"
          aria-label="Field to filter by"
          value={field}
          onChange={(e) => {
            setField(e.target.value);
            setHow(waysOf(e.target.value)[0] ?? "equal");
          }}
        >
          <option value="">filter by</option>
          {fields.map((one) => (
            <option key={one.name}>{one.name}</option>
          ))}
        </select>
        {chosen && (
          <>
            <select
              className="select select-sm w-28"
              aria-label="How to compare"
              value={how}
              onChange={(e) => setHow(e.target.value)}
            >
              {ways.map((name) => (
                <option key={name} value={name}>
                  {WORDS[name]}
                </option>
              ))}
            </select>
            {chosen.type === "boolean" ? (
              <select
                className="select select-sm w-24"
                aria-label="Value"
                value={value}
                onChange={(e) => setValue(e.target.value)}
              >
                <option value="">choose</option>
                <option value="true">yes</option>
                <option value="false">no</option>
              </select>
            ) : (
              <input
                className="input input-sm w-40"
                aria-label="Value"
                type={chosen.type === "date" ? "date" : "text"}
                placeholder={chosen.unit}
                value={value}
                onChange={(e) => setValue(e.target.value)}
              />
            )}
            <button className="btn btn-sm" disabled={!value}>
              Filter
            </button>
          </>
        )}
      </form>
      {active.map(([name, text]) => (
        <button
          key={name}
          type="button"
          className="rounded-full bg-accent/12 px-2.5 py-1 text-xs text-accent"
          onClick={() => onSet(name, "")}
          title="take the filter away"
        >
          {name.replace(".from", " ≥").replace(".to", " ≤").replace(".begins", " begins")} {text} ×
        </button>
      ))}
      {active.length > 1 && (
        <button type="button" className="link text-xs" onClick={onClear}>
          take all away
        </button>
      )}
    </div>
  );
}
