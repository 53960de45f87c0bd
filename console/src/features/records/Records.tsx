import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Heading, StateTag, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { useRecordTypes, useRunFeed } from "./records";

/** Record types and the feeds that fill them. */
export default function Records() {
  const { project = "" } = useParams();
  const [search, setSearch] = useState("");
  const found = useRecordTypes(project);
  const run = useRunFeed(project);
  const navigate = useNavigate();
  const mayRun = usePermission(project, "run");
  if (!found.data) return <NotYet title="Records" what="Reading record types" error={found.error} />;
  const { types, feeds, mappings } = found.data;
  const fills = (feed: (typeof feeds)[number]) =>
    mappings.find((one) => one.name === feed.mapping)?.document.outputs?.map((one) => one.record_type) ?? [];
  const shown = types.filter((one) => `${one.name} ${one.title}`.toLowerCase().includes(search.toLowerCase()));
  return (
    <Page
      title="Records"
      aside={
        types.length > 0 && (
          <input
            className="input input-sm w-56"
            type="search"
            aria-label="Search record types"
            placeholder="Search by name or title"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
        )
      }
    >
      <ProblemAlert error={run.error} />
      {types.length === 0 && (
        <Empty title="There is no record type yet">
          Try an operation and point at what becomes one row:{" "}
          <Link className="link" to="../services">
            Services
          </Link>
          .
        </Empty>
      )}
      {types.length > 0 && shown.length === 0 && <p className="text-sm opacity-80">Nothing is called like that.</p>}
      {shown.map((type) => (
        <section key={type.id} className="mb-7 border-t border-base-300 pt-3">
          <Heading
            aside={
              <Link className="link text-sm" to={type.name}>
                open its records
              </Link>
            }
          >
            {type.title || type.name}
          </Heading>
          <p className="mb-2 text-sm">
            {(type.document.fields ?? []).map((one) => one.name).join(", ") || "no fields"} · key{" "}
            {(type.document.key ?? []).join(", ") || "not chosen"}{" "}
            {type.problems.length > 0 && <Tag tone="bad">not ready</Tag>}
          </p>
          <ul className="text-sm">
            {feeds
              .filter((one) => fills(one).includes(type.name))
              .map((feed) => (
                <li key={feed.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 py-1">
                  feed{" "}
                  <Link className="link" to={`../feeds/${feed.name}`}>
                    {feed.title || feed.name}
                  </Link>
                  <Tag>{feed.environment}</Tag>
                  {feed.last_run && (
                    <>
                      <Link className="link text-xs" to={`../runs/${feed.last_run.id}`}>
                        run {feed.last_run.id}
                      </Link>{" "}
                      <StateTag state={feed.last_run.state} completeness={feed.last_run.completeness} />{" "}
                      <span className="text-xs opacity-70">{when(feed.last_run.at)}</span>
                    </>
                  )}
                  {mayRun && (
                    <button
                      type="button"
                      className="btn btn-xs"
                      disabled={run.isPending}
                      onClick={() =>
                        run.mutate({ name: feed.name }, { onSuccess: (made) => navigate(`../runs/${made.id}`) })
                      }
                    >
                      Run it
                    </button>
                  )}
                </li>
              ))}
          </ul>
        </section>
      ))}
    </Page>
  );
}
