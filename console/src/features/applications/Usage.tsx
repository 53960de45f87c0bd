import { useState } from "react";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useUsage } from "./applications";
import { hoursOf, totalsOf, type Hour } from "./usage";

const HOURS = 7 * 24;
const HEIGHT = 56;

/** How much an application used in the last seven days: hour by hour, and by what it called. */
export function Usage({ project, application }: { project: string; application: string }) {
  const usage = useUsage(project, application);
  const [now] = useState(() => Date.now());
  const items = usage.data ?? [];
  if (!usage.data) return <ProblemAlert error={usage.error} />;
  if (items.length === 0) return <p className="text-sm opacity-80">Nothing was used in the last seven days.</p>;
  return (
    <>
      <Bars hours={hoursOf(items, now, HOURS)} />
      <table className="mt-2 w-full max-w-2xl text-sm tabular-nums">
        <thead>
          <tr className="text-left text-xs opacity-80">
            <th className="py-1 font-medium">in seven days</th>
            <th className="text-right font-medium">calls</th>
            <th className="text-right font-medium">failed</th>
            <th className="text-right font-medium">a call, ms</th>
            <th className="text-right font-medium">the service&apos;s</th>
          </tr>
        </thead>
        <tbody>
          {totalsOf(items).map((one) => (
            <tr key={one.what} className="border-t border-base-300">
              <td className="py-1">{one.what}</td>
              <td className="text-right">{one.calls.toLocaleString()}</td>
              <td className={`text-right ${one.failed ? "text-error" : "opacity-70"}`}>
                {one.failed.toLocaleString()}
              </td>
              <td className="text-right">{one.mean.toFixed(1)}</td>
              <td className="text-right">{one.service.toFixed(1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** One bar an hour; what failed stands at its foot, in another colour. */
function Bars({ hours }: { hours: Hour[] }) {
  const most = Math.max(...hours.map((one) => one.calls), 1);
  const height = (calls: number) => (calls ? Math.max(1, (calls / most) * HEIGHT) : 0);
  const days = hours.filter((one) => new Date(one.at).getHours() === 0);
  return (
    <figure className="max-w-2xl">
      <figcaption className="text-xs opacity-80">Calls an hour; at most {most.toLocaleString()}</figcaption>
      <svg
        viewBox={`0 0 ${HOURS * 4} ${HEIGHT + 14}`}
        className="w-full"
        role="img"
        aria-label="calls an hour in the last seven days"
      >
        <line x1="0" x2={HOURS * 4} y1={HEIGHT} y2={HEIGHT} className="stroke-base-content/30" strokeWidth="1" />
        {hours.map((one, at) => (
          <g key={one.at}>
            <title>
              {new Date(one.at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" })}:{" "}
              {one.calls.toLocaleString()} calls, {one.failed.toLocaleString()} failed
            </title>
            <rect
              x={at * 4}
              width="3"
              y={HEIGHT - height(one.calls)}
              height={height(one.calls)}
              className="fill-secondary"
            />
            <rect
              x={at * 4}
              width="3"
              y={HEIGHT - height(one.failed)}
              height={height(one.failed)}
              className="fill-error"
            />
          </g>
        ))}
        {days.map((one) => (
          <text key={one.at} x={hours.indexOf(one) * 4} y={HEIGHT + 11} className="fill-base-content/80 text-[11px]">
            {new Date(one.at).toLocaleDateString(undefined, { weekday: "short", day: "numeric" })}
          </text>
        ))}
      </svg>
    </figure>
  );
}
