import type { Schemas } from "../../api/client";
import { usePointing } from "./context";
import type { RecordTypeDocument } from "./plan";
import { asText } from "../../ui/text";

interface TableProps {
  rows: number;
  shown: Schemas["MappedRow"][];
  recordType: RecordTypeDocument;
  /** What stands before each row. */
  lead?: (row: Schemas["MappedRow"]) => React.ReactNode;
}

/** Rows as records, each cell lit with its place in the response; what was rejected with its reasons. */
export function RecordTable({ rows, shown, recordType, lead }: TableProps) {
  const { lit, point, show } = usePointing();
  const fields = recordType.fields ?? [];
  if (rows === 0)
    return <p className="mb-3 text-sm opacity-80">The list is empty: no rows, and that is not an error.</p>;
  return (
    <div className="mb-4 max-h-[40vh] overflow-auto" onMouseLeave={() => point(null)}>
      <table className="w-full text-xs">
        <thead className="sticky top-0 z-20 bg-base-100">
          <tr className="text-left font-mono text-secondary">
            {lead && <th className="sticky left-0 z-30 bg-base-100 pr-3 pb-1 font-sans font-medium">record</th>}
            {fields.map((one) => (
              <th key={one.name} className="pr-3 pb-1 font-medium whitespace-nowrap">
                {one.name}
                {one.unit && <span className="opacity-70"> {one.unit}</span>}
                {recordType.key?.includes(one.name) && <span className="text-accent"> key</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="font-mono">
          {shown.slice(0, 100).map((row) => {
            const places = new Map(row.fields.map((one) => [one.field, one]));
            return row.data === null ? (
              <tr key={row.ordinal} className="border-t border-base-300 text-accent">
                {lead && <td className="sticky left-0 z-10 bg-base-100 pr-3 whitespace-nowrap">{lead(row)}</td>}
                <td colSpan={fields.length} className="py-1">
                  <button
                    type="button"
                    className="cursor-pointer text-left hover:underline"
                    onClick={() => show(row.pointer)}
                  >
                    {row.path}
                  </button>
                  : {row.problems.map((one) => `${one.field} ${one.reason}`).join("; ")}
                </td>
              </tr>
            ) : (
              <tr key={row.ordinal} className="border-t border-base-300">
                {lead && <td className="sticky left-0 z-10 bg-base-100 pr-3 whitespace-nowrap">{lead(row)}</td>}
                {fields.map((one) => {
                  const pointer = places.get(one.name)?.pointer ?? null;
                  const isLit = pointer !== null && pointer === lit;
                  return (
                    <td
                      key={one.name}
                      className={`max-w-44 truncate py-1 pr-3 whitespace-nowrap ${isLit ? "bg-accent/20 outline outline-accent" : ""}`}
                      onMouseEnter={() => point(pointer)}
                      onClick={() => pointer && show(pointer)}
                    >
                      <Shown value={row.data?.[one.name]} isThere={one.name in (row.data ?? {})} />
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
      {rows > shown.length && (
        <p className="pt-1 text-xs opacity-75">
          The first {shown.length} rows; the counts are of all {rows}.
        </p>
      )}
    </div>
  );
}

export function Shown({ value, isThere }: { value: unknown; isThere: boolean }) {
  if (!isThere)
    return (
      <span className="opacity-50" title="missing">
        ·
      </span>
    );
  if (value === null)
    return (
      <span className="opacity-60" title="null">
        –
      </span>
    );
  if (typeof value === "boolean") return <>{value ? "yes" : "no"}</>;
  if (Array.isArray(value))
    return value.length ? (
      <>{value.map((one) => (typeof one === "object" ? JSON.stringify(one) : String(one))).join(", ")}</>
    ) : (
      <span className="opacity-60">none</span>
    );
  return <>{typeof value === "object" ? JSON.stringify(value) : asText(value)}</>;
}
