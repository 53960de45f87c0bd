import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { answer, api } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, StateTag, when } from "../../ui/parts";
import { Obstacles } from "../environments/Obstacles";

/** Where the project stands: the road from a connection to kept records, and what ran last. */
export default function Overview() {
  const { project = "" } = useParams();
  const facts = useQuery({
    queryKey: ["overview", project],
    queryFn: async () => {
      const [connections, operations, types, feeds, runs] = await Promise.all([
        answer(api.GET("/api/v1/projects/{project}/connections", { params: { path: { project } } })),
        answer(api.GET("/api/v1/projects/{project}/operations", { params: { path: { project } } })),
        answer(api.GET("/api/v1/projects/{project}/record-types", { params: { path: { project } } })),
        answer(api.GET("/api/v1/projects/{project}/feeds", { params: { path: { project } } })),
        answer(
          api.GET("/api/v1/projects/{project}/runs", {
            params: { path: { project }, query: { limit: 8, without: "application,live" } },
          }),
        ),
      ]);
      return { connections, operations, types, feeds, runs: runs.items };
    },
  });
  if (!facts.data) return <NotYet title="Overview" what="Reading the project" error={facts.error} />;
  const { connections, operations, types, feeds, runs } = facts.data;
  const steps = [
    {
      title: "Connect",
      done: connections.items.length,
      words: count(connections, "connection"),
      to: "services",
      next: "say where a service is, and how to sign in",
    },
    {
      title: "Describe and try",
      done: operations.items.length,
      words: count(operations, "operation"),
      to: operations.items[0] ? `operations/${operations.items[0].name}` : "services",
      next: "paste an address from its documentation and send it",
    },
    {
      title: "Map",
      done: types.items.length,
      words: count(types, "record type"),
      to: operations.items[0] ? `operations/${operations.items[0].name}` : "services",
      next: "point at what becomes one row",
    },
    {
      title: "Keep",
      done: feeds.items.length,
      words: count(feeds, "feed"),
      to: "records",
      next: "make a feed and run it",
    },
  ];
  const next = steps.find((one) => !one.done);
  return (
    <Page title="Overview">
      <ol className="mb-7 grid gap-3 sm:grid-cols-2 lg:grid-cols-4">
        {steps.map((one, number) => (
          <li
            key={one.title}
            className={`border-t-2 pt-2 ${one === next ? "border-accent" : one.done ? "border-success" : "border-base-300"}`}
          >
            <Link to={one.to} className="group block">
              <p className="text-xs opacity-70">{number + 1}</p>
              <p className="font-semibold group-hover:underline">{one.title}</p>
              <p className="text-sm">
                {one.done ? (
                  one.words
                ) : (
                  <span className={one === next ? "text-accent" : "opacity-75"}>
                    {one === next ? "next: " : ""}
                    {one.next}
                  </span>
                )}
              </p>
            </Link>
          </li>
        ))}
      </ol>
      <Obstacles project={project} />
      <section>
        <Heading>What ran last</Heading>
        {runs.length === 0 ? (
          <p className="text-sm opacity-80">Nothing has run yet. Trials and feeds show up here.</p>
        ) : (
          <ul className="divide-y divide-base-300 text-sm">
            {runs.map((run) => (
              <li key={run.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 py-2">
                <Link className="link font-medium" to={`runs/${run.id}`}>
                  {run.kind} {run.id}
                </Link>
                <StateTag state={run.state} completeness={run.completeness} />
                <span className="min-w-0 flex-1 truncate">
                  {run.kind === "trial" || run.kind === "application" ? run.title : `${run.title}: ${run.summary}`}
                </span>
                <span className="text-xs opacity-70">{when(run.queued_at)}</span>
              </li>
            ))}
          </ul>
        )}
      </section>
    </Page>
  );
}

/** How many there are, by the first page of them. */
function count(page: { items: unknown[]; next: string | null }, word: string): string {
  const number = page.items.length;
  return page.next ? `more than ${number} ${word}s` : `${number} ${word}${number === 1 ? "" : "s"}`;
}
