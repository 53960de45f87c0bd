import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { RecordTable } from "../bench/RecordTable";
import { PointingProvider, usePointingState } from "../bench/context";
import { SourcePane } from "../bench/SourcePane";
import { useFed, useRun } from "./runs";

/**
 * One call of a run: its response, and beside it the records that it fed; pointing at a value lights its counterpart.
 */
export default function CallPage() {
  const { project = "", id = "", number = "" } = useParams();
  const run = useRun(project, Number(id));
  const [place, setPlace] = useState("");
  const whole = useFed(project, Number(id), Number(number), "");
  const narrowed = useFed(project, Number(id), Number(number), place);
  const call = whole.data?.call;
  const pointing = usePointingState(call?.body);
  const title = `Call ${number} of run ${id}`;
  if (!whole.data || !run.data)
    return <NotYet title={title} what="Reading the call" error={whole.error ?? run.error} />;
  const environment = run.data.environment;
  const fed = narrowed.data ?? whole.data;
  return (
    <Page
      title={title}
      aside={
        <>
          <Tag>{environment}</Tag>{" "}
          <Link className="link text-sm" to={`/p/${project}/runs/${id}`}>
            {run.data.title || "the run"}
          </Link>
        </>
      }
    >
      <PointingProvider value={pointing}>
        <div className="grid gap-6 lg:grid-cols-2">
          <section className="flex min-h-0 min-w-0 flex-col lg:max-h-[80vh]">
            {call?.body ? (
              <SourcePane
                project={project}
                title="Response"
                body={call.body}
                call={call}
                begin={whole.data.outputs[0]?.shown[0]?.pointer ?? null}
                onWhereTo={setPlace}
              />
            ) : (
              <Heading>Response</Heading>
            )}
          </section>
          <section className="min-w-0">
            <Heading
              aside={
                place && (
                  <span className="flex items-center gap-2 text-xs">
                    only what came from <span className="font-mono">{place}</span>
                    <button type="button" className="link" onClick={() => setPlace("")}>
                      all of it again
                    </button>
                  </span>
                )
              }
            >
              What it fed
            </Heading>
            <ProblemAlert error={narrowed.error} />
            {fed.note && <p className="text-sm opacity-80">{fed.note}</p>}
            {fed.outputs.map((one) => (
              <div key={one.record_type} role="region" aria-label={one.record_type}>
                <p className="mb-1 text-sm">
                  {one.shown.length === 0
                    ? `No ${one.record_type}.`
                    : `${one.record_type}, ${one.is_all ? "" : "the first "}${one.shown.length} ${one.shown.length === 1 ? "row" : "rows"}`}
                </p>
                {one.shown.length > 0 && (
                  <RecordTable
                    rows={one.shown.length}
                    shown={one.shown}
                    recordType={one.document}
                    lead={(row) => (
                      <Record
                        project={project}
                        environment={environment}
                        type={one.record_type}
                        row={row as Schemas["FedRow"]}
                        run={Number(id)}
                      />
                    )}
                  />
                )}
              </div>
            ))}
          </section>
        </div>
      </PointingProvider>
    </Page>
  );
}

/** What is kept under the row's key now. */
function Record({
  project,
  environment,
  type,
  row,
  run,
}: {
  project: string;
  environment: string;
  type: string;
  row: Schemas["FedRow"];
  run: number;
}) {
  if (!row.record) return <span className="opacity-60">{row.data ? "not kept any more" : "rejected"}</span>;
  const words =
    row.record.run === run
      ? "kept by this run"
      : row.record.run > run
        ? `changed since, by run ${row.record.run}`
        : `unchanged since run ${row.record.run}`;
  return (
    <Link
      className="link"
      title={words}
      to={{
        pathname: `/p/${project}/records/${type}/${row.record.key.map((part) => encodeURIComponent(String(part))).join("/")}`,
        search: environment === "test" ? "" : `?environment=${environment}`,
      }}
    >
      {row.record.key.map(String).join(", ")}
    </Link>
  );
}
