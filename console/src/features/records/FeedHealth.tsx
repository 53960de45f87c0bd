import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { when } from "../../ui/parts";

type Run = Schemas["Run"];

const COLOURS: Record<string, string> = {
  done: "fill-success",
  failed: "fill-error",
  cancelled: "fill-base-content/40",
  queued: "fill-info",
  running: "fill-info",
};
const HEIGHT = 32;
const STEP = 12;

/** The last runs at a glance, the oldest first: a bar each, as high as it brought rows, in the colour of how it ended. */
export function FeedHealth({ runs }: { runs: Run[] }) {
  if (runs.length === 0) return null;
  const shown = [...runs].reverse();
  const rows = shown.map(rowsOf);
  const most = Math.max(1, ...rows);
  return (
    <svg
      viewBox={`0 0 ${shown.length * STEP} ${HEIGHT}`}
      style={{ width: shown.length * STEP, height: HEIGHT }}
      className="mb-4"
      role="group"
      aria-label="The last runs, as high as they brought rows"
    >
      {shown.map((run, at) => {
        const height = Math.max(4, ((rows[at] ?? 0) / most) * HEIGHT);
        const words = `run ${run.id} ${run.state}, ${when(run.queued_at)}: ${run.summary}`;
        return (
          <Link key={run.id} to={`../runs/${run.id}`} aria-label={words}>
            <title>{words}</title>
            <rect x={at * STEP} y="0" width={STEP - 3} height={HEIGHT} className="fill-base-200" />
            <rect
              x={at * STEP}
              y={HEIGHT - height}
              width={STEP - 3}
              height={height}
              className={run.completeness === "incomplete" ? "fill-warning" : COLOURS[run.state]}
            />
          </Link>
        );
      })}
    </svg>
  );
}

function rowsOf(run: Run): number {
  return run.counts.reduce((sum, count) => sum + count.rows - count.rejected, 0);
}
