import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api } from "../../api/client";
import { Page } from "../../ui/Layout";
import { Empty, StateTag, Tag, Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";

/** Everything that ran, newest first. */
export default function Runs() {
  const { project = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const kind = query.get("kind") ?? "";
  const state = query.get("state") ?? "";
  const after = query.get("after") ?? undefined;
  const runs = useQuery({
    queryKey: ["runs", project, kind, state, after],
    refetchInterval: 4000,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/runs", {
          params: {
            path: { project },
            // calls of applications and questions about live records are very many: they are shown alone
            query: {
              limit: 50,
              after,
              ...(kind ? { kind } : { without: "application,live" }),
              ...(state && { state }),
            },
          },
        }),
      ),
  });
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    next.delete("after");
    if (value) next.set(name, value);
    else next.delete(name);
    setQuery(next);
  };
  return (
    <Page
      title="Runs"
      aside={
        <>
          <Link className="link text-sm" to="../calendar">
            Calendar
          </Link>
          <select
            className="select select-sm w-60"
            aria-label="Kind"
            value={kind}
            onChange={(e) => set("kind", e.target.value)}
          >
            <option value="">all but calls and live records</option>
            <option value="feed">feeds</option>
            <option value="flow">flows</option>
            <option value="trial">trials</option>
            <option value="application">calls of applications</option>
            <option value="live">live records</option>
          </select>
          <select
            className="select select-sm w-36"
            aria-label="State"
            value={state}
            onChange={(e) => set("state", e.target.value)}
          >
            <option value="">all states</option>
            {["queued", "running", "waiting", "done", "failed", "cancelled"].map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </>
      }
    >
      <ProblemAlert error={runs.error} />
      {runs.isPending && <Waiting what="Reading runs" />}
      {runs.data?.items.length === 0 && (
        <Empty title={kind || state ? "No run is like that" : "Nothing has run yet"}>
          Try an operation, or run a feed.
        </Empty>
      )}
      <ul className="divide-y divide-base-300 text-sm">
        {runs.data?.items.map((run) => (
          <li
            key={run.id}
            className="grid grid-cols-[5.5rem_6rem_1fr] items-center gap-x-3 py-2 sm:grid-cols-[5.5rem_6rem_5rem_1fr_14rem]"
          >
            <Link className="link font-medium" to={`${run.id}`}>
              {run.kind === "application" ? "call" : run.kind} {run.id}
            </Link>
            <span>
              <StateTag state={run.state} completeness={run.completeness} />
            </span>
            <span className="hidden sm:inline">
              <Tag>{run.environment}</Tag>
            </span>
            <span className="min-w-0 truncate">
              {isOneCall(run) ? (
                <span className="font-mono text-xs">{run.title}</span>
              ) : (
                <>
                  {run.title}: {run.summary}
                </>
              )}
            </span>
            <span className="col-span-3 text-xs opacity-70 sm:col-span-1 sm:text-right">
              {when(run.queued_at)}
              {(run.by || run.begun_by) && `, ${run.by ?? run.begun_by.replace("application ", "")}`}
            </span>
          </li>
        ))}
      </ul>
      {runs.data?.next && (
        <button type="button" className="btn btn-sm mt-3" onClick={() => set("after", runs.data.next!)}>
          Older runs
        </button>
      )}
    </Page>
  );
}

/** Whether a run is one call of an operation, which its title tells. */
function isOneCall(run: { kind: string }): boolean {
  return run.kind === "trial" || run.kind === "application";
}
