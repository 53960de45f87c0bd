import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { Heading, Tag } from "../../ui/parts";
import { More } from "../../ui/pages";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type RunOptions, useRunFeed } from "../records/records";
import { OVER, usePlanned, useRejectReasons, useRejects, useRowFailures } from "./runs";

interface Props {
  project: string;
  run: Schemas["Run"];
  mayRun: boolean;
}

/** What is odd but stopped nothing, with what can be done about it. */
export function Remarks({ project, run, mayRun }: Props) {
  if (run.remarks.length === 0) return null;
  return (
    <ul aria-label="Remarks" className="mb-4 space-y-2 border-l-4 border-warning bg-warning/8 px-3 py-2 text-sm">
      {run.remarks.map((remark) => (
        <li key={`${remark.kind} ${remark.message}`}>
          <p className="font-medium break-words">{remark.message}</p>
          <p className="text-xs opacity-80">
            {remark.call && (
              <>
                {remark.times > 1 ? `call ${remark.call} and ${remark.times - 1} more` : `call ${remark.call}`}
                {remark.hint && "; "}
              </>
            )}
            {remark.hint}
          </p>
          {remark.kind === "not_marked" && mayRun && (
            <RunAgain project={project} feed={run.feed} options={{ may_mark_all: true }}>
              They are gone: run it again and mark them
            </RunAgain>
          )}
        </li>
      ))}
    </ul>
  );
}

/** Starts another run of the same feed, and goes there. */
function RunAgain({
  project,
  feed,
  options,
  children,
}: {
  project: string;
  feed: string | null;
  options: RunOptions;
  children: string;
}) {
  const start = useRunFeed(project);
  const navigate = useNavigate();
  if (!feed) return null;
  return (
    <>
      <button
        type="button"
        className="btn btn-xs mt-1"
        disabled={start.isPending}
        onClick={() =>
          start.mutate({ name: feed, ...options }, { onSuccess: (made) => navigate(`/p/${project}/runs/${made.id}`) })
        }
      >
        {children}
      </button>
      <ProblemAlert error={start.error} />
    </>
  );
}

/** Rows that the operation was asked for in vain. */
export function RowFailures({ project, run, mayRun }: Props) {
  const failures = useRowFailures(project, run.id, run.rows_failed > 0);
  if (run.rows_failed === 0) return null;
  return (
    <section className="mb-6" aria-label="Rows that failed">
      <Heading
        aside={
          mayRun && (
            <RunAgain project={project} feed={run.feed} options={{ only_rows_of: run.id }}>
              Ask again for these alone
            </RunAgain>
          )
        }
      >
        Rows that failed
      </Heading>
      <ul className="text-sm">
        {failures.items.map((failure) => (
          <li key={failure.key.join()} className="border-l-2 border-error py-1 pl-3">
            <span className="font-mono text-xs">{failure.key.map(String).join(", ")}</span> {failure.error.message}{" "}
            {failure.call && <span className="text-xs opacity-75">call {failure.call}</span>}
          </li>
        ))}
      </ul>
      <More list={failures} what="failures" />
    </section>
  );
}

/** What a dry run found that a run would do, record by record. */
export function PlannedChanges({ project, run, mayRun }: Props) {
  const isOver = OVER.includes(run.state);
  const planned = usePlanned(project, run.id, run.is_dry && isOver);
  if (!run.is_dry || !isOver) return null;
  return (
    <section className="mb-6" aria-label="What a run would do">
      <Heading
        aside={
          mayRun &&
          run.state === "done" && (
            <RunAgain project={project} feed={run.feed} options={{}}>
              Run it, and keep what comes
            </RunAgain>
          )
        }
      >
        What a run would do
      </Heading>
      {!planned.isPending && planned.items.length === 0 && (
        <p className="text-sm opacity-80">Nothing: all would stay as it is.</p>
      )}
      <div className="overflow-x-auto">
        <table className="table table-sm">
          <tbody>
            {planned.items.map((one) => (
              <tr key={`${one.record_type} ${one.key.join()}`} className="align-top">
                <td className="w-24">
                  <Tag>{one.kind}</Tag>
                </td>
                <td className="font-mono text-xs whitespace-nowrap">
                  {one.record_type} {one.key.map(String).join(", ")}
                </td>
                <td className="w-full text-xs">
                  {Object.keys({ ...one.before, ...one.after }).map((field) => (
                    <span key={field} className="mr-3 inline-block">
                      <span className="opacity-70">{field}</span>{" "}
                      {one.before && (
                        <>
                          <del className="opacity-60">{shown(one.before[field])}</del> {"→ "}
                        </>
                      )}
                      {shown(one.after?.[field])}
                    </span>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <More list={planned} what="changes" />
    </section>
  );
}

function shown(value: unknown): string {
  return value === undefined ? "nothing" : typeof value === "string" ? value : JSON.stringify(value);
}

/** Rows that could not become records. */
export function Rejects({ project, run, mayRun }: Props) {
  const [field, setField] = useState<string | undefined>();
  const rejects = useRejects(project, run.id, field);
  const reasons = useRejectReasons(project, run.id);
  if (rejects.items.length === 0 && field === undefined) return null;
  return (
    <section className="mb-6">
      <Heading
        aside={
          mayRun &&
          !run.is_dry &&
          OVER.includes(run.state) && (
            <RunAgain project={project} feed={run.feed} options={{ only_rejects_of: run.id }}>
              Map them again, from the kept responses
            </RunAgain>
          )
        }
      >
        Rejects
      </Heading>
      <div className="mb-2 flex flex-wrap gap-2" role="group" aria-label="Rejects by field">
        {reasons.data?.map((one) => (
          <button
            key={`${one.record_type} ${one.field}`}
            type="button"
            className={`btn btn-xs ${field === one.field ? "btn-primary" : ""}`}
            aria-pressed={field === one.field}
            title={one.reason}
            onClick={() => setField(field === one.field ? undefined : one.field)}
          >
            <span className="font-mono">{one.field || one.record_type}</span> {one.rows.toLocaleString("en")}
          </button>
        ))}
      </div>
      <ul className="text-sm">
        {rejects.items.map((one) => (
          <li key={`${one.call}-${one.ordinal}`} className="border-l-2 border-accent py-1 pl-3">
            {one.problems.map((problem) => (
              <p key={problem.field}>
                <span className="font-mono text-xs">{problem.field}</span> {problem.reason}
              </p>
            ))}
            <details className="text-xs opacity-85">
              <summary className="cursor-pointer">
                call {one.call}, {one.path || `row ${one.ordinal}`}
              </summary>
              <pre className="overflow-auto font-mono break-all whitespace-pre-wrap">{one.row}</pre>
            </details>
          </li>
        ))}
      </ul>
      <More list={rejects} what="rejects" />
    </section>
  );
}

/** What the run asked with. */
export function RunInputs({ project, run }: Omit<Props, "mayRun">) {
  const inputs = Object.entries(run.inputs);
  if (run.kind !== "feed" || inputs.length === 0) return null;
  return (
    <p className="mb-4 text-sm">
      Asked with{" "}
      {inputs.map(([name, value]) => (
        <span key={name} className="mr-3">
          <span className="font-mono text-xs text-secondary">{name}</span> {JSON.stringify(value)}
        </span>
      ))}
      {!run.brings_all && run.feed && (
        <>
          which is not all that{" "}
          <Link className="link" to={`/p/${project}/feeds/${run.feed}`}>
            feed {run.feed}
          </Link>{" "}
          brings.
        </>
      )}
    </p>
  );
}
