import { useState } from "react";
import type { Schemas } from "../../api/client";
import { at, pointerOf } from "./edits";
import { sourceWords, type Source } from "./words";

type Offer = Schemas["OfferItem"];

/** Of the run that is looked at, by name: what it was given, and what its steps came to. */
export interface Seen {
  inputs: Record<string, unknown>;
  results: Record<string, unknown>;
}

const GROUPS: Record<Offer["of"], string> = {
  input: "Inputs of the flow",
  result: "",
  kept: "Kept values",
  item: "The one that it is asked for",
  position: "The one that it is asked for",
  failure: "The failure",
  undone: "What is taken back",
  standing: "Standing values",
  caller: "Whoever calls",
};

/** Values that are there before a step and fit, to be pointed at; each with what it was in the run that is looked at. */
export function Pointing({
  label,
  offers,
  seen,
  onChoose,
}: {
  label: string;
  offers: Offer[];
  seen: Seen;
  onChoose: (source: Source) => void;
}) {
  const [search, setSearch] = useState("");
  const wanted = search.toLowerCase();
  const found = offers.filter((one) =>
    `${one.name} ${sourceWords(one.source)} ${one.title}`.toLowerCase().includes(wanted),
  );
  const groups = new Map<string, Offer[]>();
  for (const one of found.slice(0, 200)) {
    const group = GROUPS[one.of] || `What came of ${one.name}`;
    groups.set(group, [...(groups.get(group) ?? []), one]);
  }
  return (
    <div className="my-1 rounded-field border border-base-300 p-2" role="group" aria-label={label}>
      {offers.length > 8 && (
        <input
          type="search"
          className="input input-xs mb-1 w-full"
          aria-label={`Search: ${label}`}
          placeholder={`search ${offers.length} values that fit`}
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      )}
      {found.length === 0 && <p>Nothing before this step fits. Give a value, or make an input of the flow for it.</p>}
      <div className="max-h-52 overflow-y-auto">
        {[...groups].map(([group, members]) => (
          <section key={group}>
            <p className="mt-1 opacity-75">{group}</p>
            {members.map((one) => (
              <button
                key={sourceWords(one.source)}
                type="button"
                className="flex w-full cursor-pointer items-baseline gap-2 rounded-selector px-1 py-0.5 text-left hover:bg-base-200"
                onClick={() => onChoose(one.source)}
              >
                <span className="font-mono">{sourceWords(one.source)}</span>
                <span className="opacity-75">{one.type || "any type"}</span>
                {!one.is_certain && <span className="opacity-75">may be missing</span>}
                <span className="ml-auto max-w-40 truncate opacity-75">{shown(one.source, seen)}</span>
              </button>
            ))}
          </section>
        ))}
      </div>
    </div>
  );
}

/** A value in the run that is looked at, where its path names members alone. */
function shown(source: Source, seen: Seen): string {
  const [values, name] = source.result ? [seen.results, source.result] : [seen.inputs, source.input ?? ""];
  const pointer = pointerOf(source.at ?? "");
  if (!name || !(name in values) || pointer === null) return "";
  const value = at(values[name], pointer);
  return value === undefined ? "" : JSON.stringify(value);
}
