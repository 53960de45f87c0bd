import { Fragment } from "react";
import type { Schemas } from "../../api/client";
import { useBench } from "./context";
import { correctionsOf } from "./draft";
import { wholePath } from "./paths";
import { TypeSelect } from "./TypeSelect";

/** The schema of the response, a line each; a name or a type that is not right is corrected there. */
export function SchemaTable() {
  const { draft, change, lines, body, mayBuild } = useBench();
  const { plan } = draft;
  const rows = plan ? wholePath(plan.rows) : null;
  const corrections = correctionsOf(draft);
  const correct = (correction: Schemas["Correction"]) => change({ type: "correct", correction });
  return (
    <table className="w-full text-xs">
      <thead>
        <tr className="text-left text-secondary">
          <th className="py-1 font-medium">part</th>
          <th className="font-medium">read as</th>
          <th className="font-medium">there</th>
          <th className="font-medium">for example</th>
        </tr>
      </thead>
      <tbody className="font-mono">
        {lines.map((line) => {
          const own = corrections.find((one) => one.path === line.path);
          return (
            <Fragment key={line.path}>
              <tr className={`border-t border-base-300 ${line.is_corrected ? "bg-accent/8" : ""}`}>
                <td className="py-1 pr-2" style={{ paddingLeft: `${line.depth * 0.8}rem` }}>
                  {line.type && line.name !== "each" ? (
                    <input
                      key={`${body}${line.path}${line.name}`}
                      className="input input-ghost input-xs w-28 px-1 hover:border-base-300"
                      aria-label={`name of ${line.path}`}
                      defaultValue={line.name}
                      onBlur={(e) =>
                        e.target.value &&
                        e.target.value !== line.name &&
                        correct({ ...own, path: line.path, name: e.target.value })
                      }
                    />
                  ) : (
                    line.name || "the response"
                  )}
                </td>
                <td className="pr-2">
                  {line.type ? (
                    <TypeSelect
                      className="select-ghost w-24"
                      label={`type of ${line.path}`}
                      value={line.type}
                      onType={(type) => correct({ ...own, path: line.path, type })}
                    />
                  ) : (
                    line.types.join(" or ")
                  )}
                </td>
                <td className="pr-2 whitespace-nowrap">
                  {Math.round(line.presence * 100)}%{line.nulls > 0 && `, ${line.nulls} null`}
                </td>
                <td className="max-w-56 truncate" title={line.examples.join("  ")}>
                  {line.range && line.range[0] !== line.range[1]
                    ? `${line.range[0]} … ${line.range[1]}`
                    : line.examples.slice(0, 2).join("  ")}
                  {line.key_count > 0 && `${line.key_count} keys `}
                  {line.types.includes("object") && line.path.startsWith("$") && line.path !== "$" && (
                    <button
                      type="button"
                      className="link font-sans opacity-80"
                      title={line.key_count ? "each is a part of its own" : "the object holds one thing for each key"}
                      onClick={() => correct({ ...own, path: line.path, keys: line.key_count ? "names" : "data" })}
                    >
                      {line.key_count ? "they are names" : "its keys are data"}
                    </button>
                  )}
                  {line.key_count > 0 && `, such as ${line.keys[0]}`}
                </td>
              </tr>
              {line.alternatives && (
                <tr>
                  <td colSpan={4} className="pb-1 font-sans" style={{ paddingLeft: `${line.depth * 0.8 + 0.8}rem` }}>
                    Of several kinds, told by <span className="font-mono">{line.alternatives.field}</span>:{" "}
                    {line.alternatives.values.map((one, number) => (
                      <Fragment key={one.value}>
                        {number > 0 && "; "}
                        <span className="font-mono font-medium">{one.value}</span>{" "}
                        {one.members.length ? (
                          <>
                            has <span className="font-mono">{one.members.join(", ")}</span>
                          </>
                        ) : (
                          "has nothing of its own"
                        )}
                        {mayBuild && plan && line.path === rows && (
                          <>
                            {" "}
                            <button
                              type="button"
                              className="link text-accent"
                              onClick={() =>
                                change({ type: "only", member: line.alternatives!.field, text: one.value })
                              }
                            >
                              only these
                            </button>
                          </>
                        )}
                      </Fragment>
                    ))}
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}
