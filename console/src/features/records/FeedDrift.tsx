import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { FeedPart } from "./FeedPart";

type Drift = Schemas["Drift"];
type Feed = Schemas["Feed"];

interface Props {
  project: string;
  feed: Feed;
  mayBuild: boolean;
}

/** What a feed does when responses differ from the schema on file. */
const ACTIONS: Record<string, string> = {
  note: "Is noted here, and nothing else.",
  warn: "Is noted here, and the run warns of it.",
  stop: "Stops the run before a response is kept in which a part differs that the mapping takes.",
};
const BARS: Record<Drift["state"], string> = {
  open: "fill-warning",
  ended: "fill-base-content/40",
  adopted: "fill-success",
};

/** What a feed's responses differed in from the schema on file, from when to when, and what of it is right. */
export function FeedDrift({ project, feed, mayBuild }: Props) {
  const held = feed.document.drift ?? "warn";
  const found = useQuery({
    queryKey: ["feed-drift", project, feed.name],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/drift", {
          params: { path: { project }, query: { feed: feed.name, limit: 50 } },
        }),
      ),
  });
  return (
    <>
      <FeedPart<string>
        project={project}
        feed={feed}
        title="When responses differ"
        held={held}
        changed={(draft) => ({ ...feed.document, drift: draft as NonNullable<Feed["document"]["drift"]> })}
        words={ACTIONS[held]}
        form={
          mayBuild
            ? (draft, onDraft) => (
                <label className="flex max-w-md flex-col gap-1 text-sm">
                  A difference
                  <select className="select select-sm" value={draft} onChange={(event) => onDraft(event.target.value)}>
                    {Object.entries(ACTIONS).map(([action, words]) => (
                      <option key={action} value={action}>
                        {words}
                      </option>
                    ))}
                  </select>
                </label>
              )
            : null
        }
      />
      <div className="-mt-4 mb-6">
        <ProblemAlert error={found.error} />
        {found.data && <Periods project={project} drift={found.data.items} mayBuild={mayBuild} />}
        {found.data?.next && (
          <p className="text-xs opacity-70">
            Older ones: <span className="font-mono">rondine drift list --feed {feed.name}</span>
          </p>
        )}
      </div>
    </>
  );
}

function Periods({ project, drift, mayBuild }: { project: string; drift: Drift[]; mayBuild: boolean }) {
  const first = drift.at(0);
  if (!first) return <p className="mt-1 text-sm opacity-80">No run has found a difference.</p>;
  const starts = drift.map((one) => Date.parse(one.first_at));
  const from = Math.min(...starts);
  const until = Math.max(...drift.map((one) => Date.parse(one.adopted_at ?? one.ended_at ?? one.last_at)), from + 1000);
  return (
    <div className="mt-2 overflow-x-auto">
      <table className="table table-sm">
        <thead>
          <tr>
            <th>Part</th>
            <th>Taken by</th>
            <th className="w-72">
              <span className="flex justify-between gap-3 text-xs font-normal">
                <span>{when(new Date(from).toISOString())}</span> <span>{when(new Date(until).toISOString())}</span>
              </span>
            </th>
            <th />
          </tr>
        </thead>
        <tbody>
          {drift.map((one) => (
            <tr key={one.id} className="align-top">
              <td>
                <span className="font-mono text-xs break-all">{one.path}</span>
                <br />
                {one.words}
                {one.example && <span className="opacity-70"> (such as {one.example})</span>}
              </td>
              <td className="text-xs">{one.used_by.join(", ") || "nothing"}</td>
              <td>
                <Bar one={one} from={from} until={until} />
                <span className="text-xs">
                  <Link className="link" to={`../runs/${one.first_run}`}>
                    run {one.first_run}
                  </Link>{" "}
                  to{" "}
                  <Link className="link" to={`../runs/${one.last_run}`}>
                    run {one.last_run}
                  </Link>
                  {one.ended_run && <>, not in run {one.ended_run}</>}
                </span>
              </td>
              <td className="text-right">
                {one.state === "open" && mayBuild ? <Adopt project={project} one={one} /> : <Tag>{one.state}</Tag>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** When a difference was there, on the axis of all that are shown. */
function Bar({ one, from, until }: { one: Drift; from: number; until: number }) {
  const place = (time: string) => ((Date.parse(time) - from) / (until - from)) * 100;
  const start = Math.min(place(one.first_at), 98);
  const end = one.state === "open" ? 100 : place(one.adopted_at ?? one.ended_at ?? one.last_at);
  return (
    <svg viewBox="0 0 100 6" preserveAspectRatio="none" className="h-2 w-full" role="img">
      <title>{`${one.state}: ${when(one.first_at)} to ${when(one.last_at)}`}</title>
      <rect x="0" y="2.5" width="100" height="1" className="fill-base-300" />
      <rect x={start} y="0" width={Math.max(2, end - start)} height="6" className={BARS[one.state]} />
    </svg>
  );
}

function Adopt({ project, one }: { project: string; one: Drift }) {
  const queries = useQueryClient();
  const adopt = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/drift/{drift_id}/adopt", {
          params: { path: { project, drift_id: one.id } },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["feed-drift", project] }),
  });
  return (
    <>
      <button
        type="button"
        className="btn btn-xs"
        disabled={adopt.isPending}
        aria-label={`Adopt ${one.path} ${one.words}`}
        onClick={() => adopt.mutate()}
      >
        Adopt
      </button>
      <ProblemAlert error={adopt.error} />
    </>
  );
}
