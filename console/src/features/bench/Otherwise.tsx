import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api/client";
import { useBench } from "./context";
import { correctionsOf } from "./draft";
import { takenPaths, type FieldType } from "./plan";
import { fromRow, stepsText } from "./paths";

const SIGNS = { added: "+", removed: "−", changed: "≠" } as const;

/**
 * Parts of the response that the kept samples do not allow, with the fields that they touch. The mapping stays as it
 * is.
 */
export function Otherwise() {
  const { project, draft, change, body, earlier, lines } = useBench();
  const { plan } = draft;
  const corrections = correctionsOf(draft);
  const found = useQuery({
    queryKey: ["structure", project, earlier, body, corrections],
    enabled: body !== null && earlier.length > 0,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/structure-comparisons", {
          params: { path: { project } },
          body: { before: earlier, after: [body!], corrections },
        }),
      ),
  });
  const differences = found.data?.differences ?? [];
  if (differences.length === 0) return null;
  const taken = plan ? [...takenPaths(plan)] : [];
  return (
    <details className="mt-1 border-l-4 border-warning bg-warning/10 px-3 py-1.5 text-sm">
      <summary className="cursor-pointer">
        {differences.length === 1
          ? "One part differs"
          : `${differences.length}${found.data?.is_all ? "" : " or more"} parts differ`}{" "}
        from {earlier.length === 1 ? "the kept sample" : "the kept samples"}
      </summary>
      <ul className="mt-1 max-h-48 overflow-auto text-xs">
        {differences.map((one) => {
          const inRow = plan ? fromRow(one.path, plan.rows) : null;
          const fields =
            inRow === null
              ? []
              : taken
                  .filter(
                    ([path]) =>
                      path === inRow ||
                      path.startsWith(`${inRow}.`) ||
                      path.startsWith(`${inRow}/`) ||
                      path.startsWith(`${inRow}[`),
                  )
                  .map(([, field]) => field);
          const line = lines.find((other) => other.path === one.path);
          return (
            <li key={one.path} className="flex flex-wrap items-baseline gap-x-2 py-0.5">
              <span
                className={`w-3 font-mono ${one.kind === "added" ? "text-success" : one.kind === "removed" ? "text-error" : "text-accent"}`}
                title={one.kind}
              >
                {SIGNS[one.kind]}
              </span>
              <span className="font-mono font-medium">{stepsText(one.path) || "the response"}</span>
              <span className="opacity-85">
                {one.kind === "added"
                  ? one.after
                  : one.kind === "removed"
                    ? `was ${one.before}`
                    : `was ${one.before}, is ${one.after}`}
              </span>
              {fields.length > 0 && (
                <span className="text-accent">
                  fills <span className="font-mono">{fields.join(", ")}</span>
                </span>
              )}
              {one.kind === "added" && inRow !== null && line?.type && (
                <button
                  type="button"
                  className="link"
                  onClick={() =>
                    change({ type: "take", path: inRow, as: line.type as FieldType, convert: line.convert })
                  }
                >
                  take it
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </details>
  );
}
