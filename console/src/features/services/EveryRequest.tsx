import { Plus, Trash2 } from "lucide-react";
import type { Schemas } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type Connection, type ConnectionDocument, type PartProps, useEffective, useMoveKey } from "./connection";
import { useStandingNames } from "../environments/environments";

type Parameter = Schemas["StandingParameter"];

/**
 * What goes with every request: headers and query parameters, fixed or standing values, and the effective set with its
 * origins.
 */
export function EveryRequest({
  document,
  readOnly,
  onDocument,
  project,
  connection,
}: PartProps & { project: string; connection: Connection }) {
  const names = useStandingNames(project);
  const effective = useEffective(project, connection.name, connection.version);
  const move = useMoveKey(project, connection);
  const set = (change: Partial<ConnectionDocument>) => onDocument({ ...document, ...change });
  return (
    <>
      <Rows
        title="Headers"
        word="header"
        rows={document.headers ?? []}
        names={names}
        readOnly={readOnly}
        onRows={(headers) => set({ headers })}
      />
      <Rows
        title="Query parameters"
        word="query parameter"
        rows={document.query ?? []}
        names={names}
        readOnly={readOnly}
        onRows={(query) => set({ query })}
      />
      {connection.warnings
        .filter((one) => /^\/(headers|query)/.test(one.where))
        .map((one) => (
          <p key={one.where} className="mb-2 border-l-2 border-error pl-2 text-sm">
            {one.message}.{" "}
            {!readOnly && (
              <button
                type="button"
                className="btn btn-xs ml-2"
                disabled={move.isPending}
                onClick={() => move.mutate(one.where)}
              >
                Move it into the credential
              </button>
            )}
          </p>
        ))}
      <ProblemAlert error={move.error} />
      {effective.data && effective.data.length > 0 && (
        <table className="mt-2 w-full text-xs">
          <caption className="mb-1 text-left text-sm font-medium">Together, unless an operation says otherwise</caption>
          <tbody>
            {effective.data.map((one) => (
              <tr key={one.place + one.name} className="border-t border-base-300">
                <td className="py-1 pr-3 opacity-75">{one.place}</td>
                <td className="pr-3 font-mono">{one.name}</td>
                <td className="pr-3 font-mono break-all">{one.value}</td>
                <td className="opacity-75">{one.source}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Rows({
  title,
  word,
  rows,
  names,
  readOnly,
  onRows,
}: {
  title: string;
  word: string;
  rows: Parameter[];
  names: string[];
  readOnly: boolean;
  onRows: (rows: Parameter[]) => void;
}) {
  const change = (number: number, next: Partial<Parameter>) =>
    onRows(rows.map((one, at) => (at === number ? { ...one, ...next } : one)));
  if (readOnly && rows.length === 0) return null;
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 text-sm font-medium">{title}</legend>
      {rows.map((row, number) => {
        const standing = standingOf(row.value);
        return (
          <div key={number} className="mb-1.5 flex flex-wrap gap-2">
            <input
              className="input input-sm w-44 font-mono"
              aria-label={`Name of the ${word}`}
              value={row.name}
              readOnly={readOnly}
              onChange={(e) => change(number, { name: e.target.value })}
            />
            <select
              className="select select-sm w-40"
              aria-label={`Value of ${row.name || `the ${word}`} from`}
              value={standing ?? ""}
              disabled={readOnly}
              onChange={(e) => change(number, { value: e.target.value ? [{ standing: e.target.value }] : "" })}
            >
              <option value="">fixed text</option>
              {names.map((one) => (
                <option key={one} value={one}>
                  standing: {one}
                </option>
              ))}
            </select>
            {standing === null && (
              <input
                className="input input-sm min-w-40 flex-1 font-mono"
                aria-label={`Value of ${row.name || `the ${word}`}`}
                value={textOf(row.value)}
                readOnly={readOnly}
                onChange={(e) => change(number, { value: e.target.value })}
              />
            )}
            {!readOnly && (
              <button
                type="button"
                className="btn btn-ghost btn-sm px-2"
                aria-label={`Remove ${row.name || `the ${word}`}`}
                onClick={() => onRows(rows.filter((_, at) => at !== number))}
              >
                <Trash2 className="size-4" aria-hidden />
              </button>
            )}
          </div>
        );
      })}
      {!readOnly && (
        <button
          type="button"
          className="btn btn-ghost btn-xs"
          onClick={() => onRows([...rows, { name: "", value: "" }])}
        >
          <Plus className="size-3.5" aria-hidden /> add a {word}
        </button>
      )}
    </fieldset>
  );
}

function standingOf(value: Parameter["value"]): string | null {
  const only = Array.isArray(value) ? (value.length === 1 ? value[0] : undefined) : value;
  return typeof only === "object" && only !== null && "standing" in only ? (only.standing ?? null) : null;
}

function textOf(value: Parameter["value"]): string {
  const parts = Array.isArray(value) ? value : [value ?? ""];
  return parts.map((part) => (typeof part === "string" ? part : (part.standing ?? ""))).join("");
}
