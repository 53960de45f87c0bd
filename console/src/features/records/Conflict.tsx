import { useState } from "react";
import { Shown } from "../bench/RecordTable";
import type { Column } from "./columns";
import type { Values } from "./live";

/** A record that was changed at the service while somebody changed it here: field by field, what is to be written. */
export function Conflict({
  fields,
  before,
  now,
  typed,
  write,
  isWriting,
  onCancel,
}: {
  fields: Column[];
  /** What it had when it was read, what it has now, and what was to be written. */
  before: Values;
  now: Values;
  typed: Values;
  write: (data: Values) => void;
  isWriting: boolean;
  onCancel: () => void;
}) {
  const [mine, setMine] = useState<string[]>(() => Object.keys(typed).filter((name) => same(before[name], now[name])));
  const concerned = fields.filter((one) => one.name in typed || !same(before[one.name], now[one.name]));
  return (
    <section className="mb-5 border-l-4 border-warning bg-warning/8 px-3 py-2" role="alert">
      <p className="mb-2 text-sm font-medium">It was changed at the service since you read it. Nothing was written.</p>
      <div className="overflow-x-auto">
        <table className="text-xs">
          <thead>
            <tr className="text-left text-secondary">
              {["field", "as you read it", "at the service now", "yours", "write yours"].map((one) => (
                <th key={one} className="py-1 pr-5 font-medium">
                  {one}
                </th>
              ))}
            </tr>
          </thead>
          <tbody className="font-mono">
            {concerned.map((one) => {
              const isBoth = one.name in typed && !same(before[one.name], now[one.name]);
              return (
                <tr key={one.name} className={`border-t border-base-300 ${isBoth ? "font-semibold" : ""}`}>
                  <td className="py-1 pr-5">{one.name}</td>
                  <td className="pr-5">
                    <Shown value={before[one.name]} isThere={one.name in before} />
                  </td>
                  <td className="pr-5">
                    <Shown value={now[one.name]} isThere={one.name in now} />
                  </td>
                  <td className="pr-5">
                    {one.name in typed ? (
                      <Shown value={typed[one.name]} isThere />
                    ) : (
                      <span className="opacity-60">–</span>
                    )}
                  </td>
                  <td>
                    {one.name in typed && (
                      <input
                        type="checkbox"
                        className="checkbox checkbox-xs"
                        aria-label={`write your ${one.name}`}
                        checked={mine.includes(one.name)}
                        onChange={() =>
                          setMine(
                            mine.includes(one.name) ? mine.filter((name) => name !== one.name) : [...mine, one.name],
                          )
                        }
                      />
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <p className="mt-2 flex gap-2">
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={isWriting || mine.length === 0}
          onClick={() => write(Object.fromEntries(mine.map((name) => [name, typed[name]])))}
        >
          {isWriting ? "Writing" : "Write these over what is there now"}
        </button>
        <button type="button" className="btn btn-sm" onClick={onCancel}>
          Leave it as it is
        </button>
      </p>
    </section>
  );
}

const same = (one: unknown, other: unknown) => JSON.stringify(one ?? null) === JSON.stringify(other ?? null);
