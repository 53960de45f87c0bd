import { Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import { useParams } from "react-router";
import { useQueries } from "../../ui/prepared";
import type { Input, OperationDocument, Parameter } from "./bench";

type Value = Parameter["value"];

/** What a value is: "input:name", "standing:name", "prepared:name", "fixed", or "parts" for a list of several. */
export function sourceOfValue(value: Value): string {
  if (Array.isArray(value)) return "parts";
  if (typeof value === "object" && value !== null)
    return value.prepared
      ? `prepared:${value.prepared}`
      : value.standing
        ? `standing:${value.standing}`
        : `input:${value.input ?? ""}`;
  return "fixed";
}

/** What every named value of a request has: query parameters, headers, cookies, fields, members, parts. */
export type Named = Pick<Parameter, "name" | "value" | "enabled">;

interface Props<T extends Named> {
  title: string;
  word: string;
  list: T[];
  inputs: Input[];
  standing: string[];
  onChange: (list: T[], more?: Input[]) => void;
  begun: (name: string) => T;
  extra?: (one: T, put: (part: Partial<T>) => void) => React.ReactNode;
}

/** Named values: a name each, and where its value comes from. */
export function Parameters<T extends Named>({ title, word, list, inputs, standing, onChange, begun, extra }: Props<T>) {
  const { project = "" } = useParams();
  const queries = (useQueries(project).data ?? []).filter((one) => one.document.language === "other");
  const put = (at: number, part: Partial<Named>, more?: Input[]) =>
    onChange(
      list.map((one, number) => (number === at ? { ...one, ...part } : one)),
      more,
    );
  const choose = (at: number, one: T, source: string) => {
    const [kind, name = ""] = source.split(/:(.*)/s);
    if (kind === "fixed") put(at, { value: "" });
    if (kind === "standing") put(at, { value: { standing: name } });
    if (kind === "prepared") {
      const variables = queries.find((other) => other.name === name)?.document.variables ?? [];
      put(
        at,
        { value: { prepared: name } },
        variables.filter((each) => !inputs.some((other) => other.name === each.name)),
      );
    }
    if (kind === "input") put(at, { value: { input: name } });
    if (kind === "new") {
      const made = one.name.replace(/[^A-Za-z0-9_-]/g, "_").replace(/^[^A-Za-z]+/, "") || "value";
      put(at, { value: { input: made } }, inputs.some((other) => other.name === made) ? [] : [{ name: made }]);
    }
  };
  return (
    <fieldset className="mb-3 min-w-0">
      <legend className="mb-1 text-sm font-medium">{title}</legend>
      {list.map((one, number) => {
        const source = sourceOfValue(one.value);
        return (
          <div key={number} className="mb-1 flex flex-wrap items-center gap-1 text-xs">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              aria-label={`send ${one.name}`}
              checked={one.enabled ?? true}
              onChange={(e) => put(number, { enabled: e.target.checked })}
            />
            <span className="w-20 shrink-0 truncate font-mono" title={one.name}>
              {one.name}
            </span>
            {source === "fixed" && (
              <input
                className="input input-xs min-w-0 flex-1 font-mono"
                aria-label={`value of ${one.name}`}
                value={typeof one.value === "string" ? one.value : ""}
                onChange={(e) => put(number, { value: e.target.value })}
              />
            )}
            <select
              className={`select select-xs ${source === "fixed" ? "w-20" : `min-w-28 flex-1 ${source.startsWith("standing") ? "text-secondary" : "text-accent"}`}`}
              aria-label={`where ${one.name} comes from`}
              value={source}
              onChange={(e) => choose(number, one, e.target.value)}
            >
              <option value="fixed">fixed</option>
              {!inputs.some((other) => other.name === one.name) && <option value="new">a new input</option>}
              {inputs.map((other) => (
                <option key={other.name} value={`input:${other.name}`}>
                  input {other.name}
                </option>
              ))}
              {standing.map((name) => (
                <option key={name} value={`standing:${name}`}>
                  standing {name}
                </option>
              ))}
              {queries.map((one) => (
                <option key={one.name} value={`prepared:${one.name}`}>
                  query {one.name}
                </option>
              ))}
              {source.startsWith("standing:") && !standing.includes(source.slice(9)) && (
                <option value={source}>standing {source.slice(9)}</option>
              )}
              {source === "parts" && <option value="parts">several parts</option>}
            </select>
            {extra?.(one, (part) => onChange(list.map((other, at) => (at === number ? { ...other, ...part } : other))))}
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              aria-label={`take away ${one.name}`}
              onClick={() => onChange(list.filter((_, at) => at !== number))}
            >
              <Trash2 className="size-3.5" aria-hidden />
            </button>
          </div>
        );
      })}
      <AddName label={word} onAdd={(name) => onChange([...list, begun(name)])} />
    </fieldset>
  );
}

export function AddName({ label, onAdd }: { label: string; onAdd: (name: string) => void }) {
  const [name, setName] = useState("");
  return (
    <form
      className="flex gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd(name);
        setName("");
      }}
    >
      <input
        className="input input-xs w-36"
        aria-label={`name of ${label}`}
        placeholder={`name of ${label}`}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button className="btn btn-ghost btn-xs" disabled={!name}>
        <Plus className="size-3.5" aria-hidden /> add
      </button>
    </form>
  );
}

export type Body = NonNullable<OperationDocument["body"]>;
