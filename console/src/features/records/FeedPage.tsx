import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { answer, api, Problem } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, StateTag, Tag, when } from "../../ui/parts";
import { pagingWords, usePagingForms } from "../../ui/paging";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { WhereUsed } from "../finding/WhereUsed";
import { usePermission } from "../session/session";
import { FeedDrift } from "./FeedDrift";
import { FeedSchedule } from "./FeedSchedule";
import { FeedHealth } from "./FeedHealth";
import { FeedForEach, FeedGone, FeedInputs, FeedRetrying } from "./FeedScope";
import { type RunOptions, useFeed, useRunFeed } from "./records";

/** One feed: what it asks, what it fills, how it went. */
export default function FeedPage() {
  const { project = "", name = "" } = useParams();
  const feed = useFeed(project, name);
  const runs = useQuery({
    queryKey: ["feed-runs", project, name],
    refetchInterval: feed.data?.document.schedule ? 5_000 : false,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/runs", { params: { path: { project }, query: { feed: name, limit: 20 } } }),
      ),
  });
  const run = useRunFeed(project);
  const navigate = useNavigate();
  const mayRun = usePermission(project, "run");
  const mayBuild = usePermission(project, "build");
  const start = (options: RunOptions) =>
    run.mutate({ name, ...options }, { onSuccess: (made) => navigate(`../runs/${made.id}`) });
  const strategies = usePagingForms(project);
  if (!feed.data) return <NotYet title={name} what="Reading the feed" error={feed.error} />;
  return (
    <Page
      title={feed.data.title || name}
      aside={
        <>
          <Tag>{feed.data.environment}</Tag>
          {feed.data.release !== null && (
            <Link className="link text-xs" to="../releases">
              goes by release {feed.data.release}, not by the draft
            </Link>
          )}
          {mayRun && (
            <span className="ml-auto flex gap-2">
              {Object.values(feed.data.document.moving ?? {}).some((one) => one.type !== "ago") && (
                <button
                  type="button"
                  className="btn btn-sm"
                  disabled={run.isPending || feed.data.problems.length > 0}
                  onClick={() => start({ brings_all: true })}
                >
                  Bring all again
                </button>
              )}
              <button
                type="button"
                className="btn btn-sm"
                title="Tells what a run would do to each record, and keeps nothing"
                disabled={run.isPending || feed.data.problems.length > 0}
                onClick={() => start({ is_dry: true })}
              >
                Dry run
              </button>
              <button
                type="button"
                className="btn btn-primary btn-sm"
                disabled={run.isPending || feed.data.problems.length > 0}
                onClick={() => start({})}
              >
                Run it
              </button>
            </span>
          )}
        </>
      }
    >
      <ProblemAlert error={run.error}>
        {run.error instanceof Problem && run.error.document.where.endsWith(": limits") && (
          <button type="button" className="btn btn-sm mt-2" onClick={() => start({ confirmed: true })}>
            Start it all the same
          </button>
        )}
      </ProblemAlert>
      {feed.data.problems.map((one) => (
        <p key={one.message} className="mb-2 border-l-2 border-warning pl-2 text-sm">
          {one.message}. {one.hint}
        </p>
      ))}
      <p className="mb-5 text-sm">
        Asks{" "}
        <Link className="link" to={`../operations/${feed.data.operation}`}>
          {feed.data.operation}
        </Link>
        , maps with <span className="font-mono">{feed.data.mapping}</span>. It{" "}
        {feed.data.paging
          ? pagingWords(strategies, feed.data.paging)
          : "asks for one response: none has shown how it pages"}
        .
      </p>
      {runs.data && <FeedHealth runs={runs.data.items.filter((one) => !one.is_dry)} />}
      <FeedForEach project={project} feed={feed.data} mayBuild={mayBuild} />
      <FeedInputs project={project} feed={feed.data} mayBuild={mayBuild} />
      <FeedSchedule project={project} feed={feed.data} mayBuild={mayBuild} />
      <FeedGone project={project} feed={feed.data} mayBuild={mayBuild} />
      <FeedRetrying project={project} feed={feed.data} mayBuild={mayBuild} />
      <FeedDrift project={project} feed={feed.data} mayBuild={mayBuild} />
      <Heading>Runs</Heading>
      <ProblemAlert error={runs.error} />
      {runs.data?.items.length === 0 && <p className="text-sm opacity-80">It has not run yet.</p>}
      <ul className="divide-y divide-base-300 text-sm">
        {runs.data?.items.map((one) => (
          <li key={one.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 py-2">
            <Link className="link font-medium" to={`../runs/${one.id}`}>
              run {one.id}
            </Link>{" "}
            <StateTag state={one.state} completeness={one.completeness} /> <span className="flex-1">{one.summary}</span>{" "}
            <span className="text-xs opacity-70">{when(one.queued_at)}</span>
          </li>
        ))}
      </ul>
      <WhereUsed item={{ project, kind: "feeds", word: "feed", name, version: feed.data.version, after: "records" }} />
    </Page>
  );
}
