import { useState } from "react";
import { pagingWords, usePagingForms } from "../../ui/paging";
import { Empty, Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { count, type Offered, type Source, useDetails, useRows } from "./definitions";
import { FirstRows } from "./FirstRows";

interface Props {
  project: string;
  source: Source;
  service: string;
  operations: Offered[];
  chosen: Set<string>;
  leftOut: Record<string, string[]>;
  onChosen: (chosen: Set<string>) => void;
  onLeftOut: (leftOut: Record<string, string[]>) => void;
}

const PIECE = 150;

/** The operations of a definition, by tag, to choose from; each with its inputs to leave out. */
export function Operations({ project, source, service, operations, chosen, leftOut, onChosen, onLeftOut }: Props) {
  const [search, setSearch] = useState("");
  const [open, setOpen] = useState<string | null>(null);
  const [most, setMost] = useState(PIECE);
  const rows = useRows(project);
  const strategies = usePagingForms(project);
  const [looked, setLooked] = useState<string | null>(null);
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const found = operations.filter((one) => {
    const text = `${one.title} ${one.name} ${one.method} ${one.path} ${one.tags.join(" ")}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const free = found.filter((one) => !one.is_imported);
  const areAll = free.length > 0 && free.every((one) => chosen.has(one.key));
  const groups = new Map<string, Offered[]>();
  for (const one of found.slice(0, most)) {
    const tag = one.tags[0] ?? "";
    groups.set(tag, [...(groups.get(tag) ?? []), one]);
  }
  const put = (keys: string[], isOn: boolean) => {
    const next = new Set(chosen);
    for (const key of keys) {
      if (isOn) next.add(key);
      else next.delete(key);
    }
    onChosen(next);
  };
  if (operations.length === 0)
    return <Empty title="It describes no operation">Look at what was left out, or choose another file.</Empty>;
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-3 text-sm">
        <input
          className="input input-sm w-64"
          type="search"
          aria-label="Search the operations"
          placeholder="Search name, path or tag"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={areAll}
            onChange={() =>
              put(
                free.map((one) => one.key),
                !areAll,
              )
            }
          />{" "}
          {search ? `these ${free.length}` : `all ${free.length}`}
        </label>
        <span className="opacity-75">{chosen.size} chosen</span>
      </div>
      {found.length === 0 && <p className="text-sm opacity-80">Nothing is called like that.</p>}
      {[...groups].map(([tag, list]) => (
        <fieldset key={tag} className="mb-4">
          {tag && <legend className="text-xs font-semibold tracking-wider text-secondary uppercase">{tag}</legend>}
          <ul>
            {list.map((one) => (
              <li key={one.key} className="border-t border-base-300 py-1.5 text-sm">
                <div className="flex flex-wrap items-baseline gap-x-3">
                  <label className="flex min-w-0 flex-1 items-baseline gap-2">
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs translate-y-0.5"
                      disabled={one.is_imported}
                      checked={one.is_imported || chosen.has(one.key)}
                      onChange={(e) => put([one.key], e.target.checked)}
                    />
                    <span className="min-w-0">
                      {one.title || one.name}{" "}
                      <span className="ml-1 font-mono text-xs break-all opacity-75">
                        {one.method} {one.key.slice(one.key.indexOf(" ") + 1)}
                      </span>
                    </span>
                  </label>
                  {one.is_imported && <Tag tone="good">imported</Tag>}
                  {one.paging && (
                    <span title={pagingWords(strategies, one.paging)}>
                      <Tag>pages</Tag>
                    </span>
                  )}
                  {one.is_deprecated && <Tag>deprecated</Tag>}
                  {one.warnings.length > 0 && <Tag tone="bad">{one.warnings.length} to know</Tag>}
                  {one.inputs > 0 && (
                    <button
                      type="button"
                      className="link link-hover text-xs"
                      aria-expanded={open === one.key}
                      onClick={() => setOpen(open === one.key ? null : one.key)}
                    >
                      {count(one.inputs - (leftOut[one.key]?.length ?? 0), "input")}
                    </button>
                  )}
                  {one.method === "GET" && one.is_complete && (
                    <button
                      type="button"
                      className="link link-hover text-xs"
                      disabled={rows.isPending}
                      onClick={() => {
                        setLooked(one.key);
                        rows.mutate({ ...source, key: one.key, service });
                      }}
                    >
                      first rows
                    </button>
                  )}
                </div>
                {looked === one.key && (
                  <FirstRows
                    isAsking={rows.isPending}
                    error={rows.error}
                    found={rows.data}
                    onClose={() => setLooked(null)}
                  />
                )}
                {open === one.key && (
                  <Inputs
                    project={project}
                    source={source}
                    operation={one}
                    leftOut={leftOut[one.key] ?? []}
                    onLeftOut={(names) => onLeftOut({ ...leftOut, [one.key]: names })}
                  />
                )}
              </li>
            ))}
          </ul>
        </fieldset>
      ))}
      {found.length > most && (
        <button type="button" className="btn btn-sm" onClick={() => setMost(most + PIECE * 2)}>
          Show more of {found.length}
        </button>
      )}
    </>
  );
}

interface InputsProps {
  project: string;
  source: Source;
  operation: Offered;
  leftOut: string[];
  onLeftOut: (names: string[]) => void;
}

/** The inputs of one operation, each of which may be left out, and the kinds of body it may have. */
function Inputs({ project, source, operation, leftOut, onLeftOut }: InputsProps) {
  const details = useDetails(project, source, operation.key);
  if (details.isPending) return <Waiting what="Reading its inputs" />;
  if (details.error) return <ProblemAlert error={details.error} />;
  const { inputs = [], bodies = [] } = details.data ?? {};
  return (
    <div className="mt-1 mb-1 ml-6 text-xs">
      <ul className="grid gap-x-4 gap-y-0.5 sm:grid-cols-2">
        {inputs.map((input) => {
          const isOut = leftOut.includes(input.name);
          return (
            <li key={input.name}>
              <label className="flex items-baseline gap-2" title={input.description}>
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs translate-y-0.5"
                  disabled={input.is_in_path || operation.is_imported}
                  checked={!isOut}
                  onChange={() =>
                    onLeftOut(isOut ? leftOut.filter((name) => name !== input.name) : [...leftOut, input.name])
                  }
                />
                <span>
                  <span className="font-mono">{input.name}</span>{" "}
                  <span className="opacity-75">
                    {input.type}
                    {input.is_required && ", required"}
                  </span>{" "}
                  <span className="line-clamp-1 opacity-75">{input.description}</span>
                </span>
              </label>
            </li>
          );
        })}
      </ul>
      {bodies.length > 1 && (
        <p className="mt-1 opacity-75">
          The body is sent as <span className="font-mono">{bodies[0]}</span>; it may be{" "}
          <span className="font-mono">{bodies.slice(1).join(", ")}</span> as well, chosen later.
        </p>
      )}
    </div>
  );
}
