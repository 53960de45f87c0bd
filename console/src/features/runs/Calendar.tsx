import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, when } from "../../ui/parts";

type Calendar = Schemas["CalendarShown"];
type FeedDays = Calendar["feeds"][number];

const DAY = 86_400_000;
const COLOURS: Record<string, string> = {
  done: "fill-success",
  failed: "fill-error",
  cancelled: "fill-base-content/40",
  queued: "fill-info",
  running: "fill-info",
};

/** What ran and what will, a line for each feed. */
export default function CalendarPage() {
  const { project = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const start = query.get("start") ?? undefined;
  const found = useQuery({
    queryKey: ["calendar", project, start],
    refetchInterval: 15_000,
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/calendar", { params: { path: { project }, query: { start } } })),
  });
  if (!found.data) return <NotYet title="Calendar" what="Reading the calendar" error={found.error} />;
  const move = (days: number) =>
    setQuery({ start: new Date(Date.parse(found.data.start) + days * DAY).toISOString().slice(0, 10) });
  return (
    <Page
      title="Calendar"
      aside={
        <span className="ml-auto flex gap-2">
          <button type="button" className="btn btn-sm" onClick={() => move(-7)}>
            Earlier
          </button>
          <button type="button" className="btn btn-sm" onClick={() => setQuery({})}>
            Now
          </button>
          <button type="button" className="btn btn-sm" onClick={() => move(7)}>
            Later
          </button>
        </span>
      }
    >
      {found.data.feeds.length === 0 && (
        <Empty title="No feed has a schedule, or ran in these days">A feed&apos;s page says when it runs.</Empty>
      )}
      <ul className="text-sm">
        <li className="hidden grid-cols-[14rem_1fr] gap-4 text-xs opacity-75 md:grid">
          <span>UTC</span>
          <Days calendar={found.data} />
        </li>
        {found.data.feeds.map((one) => (
          <li
            key={one.feed}
            className="grid grid-cols-1 items-center gap-x-4 border-t border-base-300 py-2 md:grid-cols-[14rem_1fr]"
          >
            <span>
              <Link className="link font-medium" to={`../feeds/${one.feed}`}>
                {one.feed}
              </Link>{" "}
              <span className="text-xs opacity-75">
                {one.environment}
                <br />
                {one.schedule_words}
                {one.is_cut && "; more than are shown here"}
              </span>
            </span>
            <Line one={one} calendar={found.data} />
          </li>
        ))}
      </ul>
      {!found.data.is_all && <p className="mt-2 text-sm">There are more feeds than these.</p>}
      <p className="mt-4 text-xs opacity-75">
        Full: it ran, in the colour of how that ended. Hollow: it is due. What is set up and cannot start stands on the{" "}
        <Link className="link" to={`/p/${project}`}>
          overview
        </Link>
        .
      </p>
    </Page>
  );
}

function Days({ calendar }: { calendar: Calendar }) {
  const first = Date.parse(calendar.start);
  const days = Math.round((Date.parse(calendar.end) - first) / DAY);
  return (
    <span className="flex">
      {Array.from({ length: days }, (_, at) => (
        <span key={at} className="flex-1 border-l border-base-300 pl-1">
          {new Date(first + at * DAY).toLocaleDateString("en", { weekday: "short", day: "numeric", timeZone: "UTC" })}
        </span>
      ))}
    </span>
  );
}

function Line({ one, calendar }: { one: FeedDays; calendar: Calendar }) {
  const first = Date.parse(calendar.start);
  const span = Date.parse(calendar.end) - first;
  const place = (time: string) => ((Date.parse(time) - first) / span) * 1000;
  const days = Math.round(span / DAY);
  return (
    <svg
      viewBox="0 0 1000 24"
      preserveAspectRatio="none"
      className="h-6 w-full"
      role="group"
      aria-label={`${one.feed}: ${one.ran.length} runs, due ${one.due.length} times`}
    >
      {Array.from({ length: days }, (_, at) => (
        <rect key={at} x={(at * 1000) / days} y="0" width="1" height="24" className="fill-base-300" />
      ))}
      <rect x={place(calendar.now)} y="0" width="1.5" height="24" className="fill-accent" />
      {one.ran.map((run) => (
        <Link key={run.id} to={`../runs/${run.id}`} aria-label={`run ${run.id} ${run.state}, ${when(run.at)}`}>
          <title>{`run ${run.id} ${run.state}, ${when(run.at)}`}</title>
          <rect x={place(run.at)} y="4" width="4" height="16" className={COLOURS[run.state] ?? "fill-info"} />
        </Link>
      ))}
      {one.due.map((time) => (
        <rect
          key={time}
          x={place(time)}
          y="5"
          width="3"
          height="14"
          strokeWidth="0.8"
          className="fill-base-100 stroke-base-content/60"
        >
          <title>{`due ${when(time)}`}</title>
        </rect>
      ))}
    </svg>
  );
}
