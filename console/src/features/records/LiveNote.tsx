import { RefreshCw } from "lucide-react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { Live } from "./live";

/** Where live records came from: calls, age, what was done here, and what could not be read. */
export function LiveNote({
  project,
  live,
  isAll,
  why = "",
  pages = 1,
  rejects = [],
  isAsking,
  onAgain,
}: {
  project: string;
  live: Live;
  isAll?: boolean | null;
  why?: string;
  pages?: number;
  rejects?: Schemas["LiveReject"][];
  isAsking: boolean;
  onAgain: () => void;
}) {
  const calls = `${live.calls} outside ${live.calls === 1 ? "call" : "calls"}${pages > 1 ? " for the last page" : ""}`;
  const asked = new Date(live.read_at).toLocaleTimeString();
  return (
    <div className="mb-3 text-xs" aria-live="polite">
      <p className="flex flex-wrap items-center gap-x-2 gap-y-1">
        <button type="button" className="btn btn-xs" disabled={isAsking} onClick={onAgain}>
          <RefreshCw className={`size-3 ${isAsking ? "animate-spin" : ""}`} aria-hidden />
          {isAsking ? "Asking" : "Ask again"}
        </button>
        <span className={live.stale_why ? "font-medium text-error" : "opacity-80"}>
          {live.stale_why
            ? `The service cannot be reached (${live.stale_why}); what it gave at ${asked} is shown.`
            : live.is_cached
              ? `Read at ${asked}, ${live.age.toFixed(0)} s before; no call was made now`
              : `Asked at ${asked}: ${calls}`}
        </span>
        {live.run != null && (
          <Link className="link" to={`/p/${project}/runs/${live.run}`}>
            run {live.run}
          </Link>
        )}
        {isAll === true && <span className="opacity-80">· these are all</span>}
        {isAll === false && <span className="opacity-80">· {why}</span>}
        {isAll === null && <span className="opacity-80">· nothing says whether these are all: {why}</span>}
        {live.local.length > 0 && <span className="opacity-80">· done here: {live.local.join(", ")}</span>}
      </p>
      {rejects.length > 0 && (
        <p className="mt-1 text-error">
          {rejects.length} {rejects.length === 1 ? "row is" : "rows are"} no record:{" "}
          {rejects
            .slice(0, 3)
            .map((one) => `${one.path} (${one.problems.map((each) => `${each.field} ${each.reason}`).join(", ")})`)
            .join("; ")}
        </p>
      )}
    </div>
  );
}
