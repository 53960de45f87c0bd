import type { Schemas } from "../../api/client";
import { Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";

const MOST_COLUMNS = 8;

/** The first rows of what is only described so far, as they came. */
export function FirstRows({
  isAsking,
  error,
  found,
  onClose,
}: {
  isAsking: boolean;
  error: unknown;
  found: Schemas["RowsShown"] | undefined;
  onClose: () => void;
}) {
  if (isAsking) return <Waiting what="Asking the service" />;
  if (error) return <ProblemAlert error={error} />;
  if (!found) return null;
  const rows = found.rows.map((one) =>
    typeof one === "object" && one !== null ? (one as Record<string, unknown>) : { value: one },
  );
  const columns = [...new Set(rows.flatMap((one) => Object.keys(one)))]
    .filter((name) => !name.startsWith("@"))
    .slice(0, MOST_COLUMNS);
  return (
    <div className="my-2 overflow-x-auto rounded-box border border-base-300 p-2">
      <p className="mb-1 flex flex-wrap gap-x-3 text-xs opacity-80">
        <span className="font-mono break-all">{found.url}</span>
        {found.path ? (
          <span>
            {found.count} rows at {found.path}; nothing was stored
          </span>
        ) : (
          <span className="text-error">
            {found.status}: {found.words} {found.message}
          </span>
        )}
        <button type="button" className="link" onClick={onClose}>
          close
        </button>
      </p>
      {rows.length > 0 && (
        <table className="text-xs">
          <thead>
            <tr className="text-left">
              {columns.map((one) => (
                <th key={one} className="pr-4 font-medium">
                  {one}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, number) => (
              <tr key={number} className="border-t border-base-300 align-top">
                {columns.map((one) => (
                  <td key={one} className="max-w-48 truncate py-0.5 pr-4 font-mono">
                    {text(row[one])}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function text(value: unknown): string {
  if (value === null || value === undefined) return "";
  return typeof value === "object" ? JSON.stringify(value) : asText(value);
}
