import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { bytes, Heading, StateTag, Tag, when } from "../../ui/parts";
import { Advice } from "../../ui/Advice";
import { More } from "../../ui/pages";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { PlannedChanges, Rejects, Remarks, RowFailures, RunInputs } from "./RunParts";
import { FlowBeside } from "./FlowBeside";
import { FlowSteps } from "./FlowSteps";
import { CallBar, CallKey, spanOf } from "./CallBar";
import { OVER, useCalls, useCancel, useGoOn, useRun } from "./runs";

const PARTS = [
  ["created", "bg-success"],
  ["changed", "bg-info"],
  ["unchanged", "bg-base-content/25"],
  ["repeated", "bg-warning"],
  ["rejected", "bg-accent"],
  ["filtered", "bg-base-content/10"],
] as const;

const COMPLETENESS: Record<string, string> = { complete: " (proven complete)", unknown: " (not known to be complete)" };

const TITLES: Record<string, string> = { trial: "Trial", application: "Call of an application" };

/** One run, live while it goes on: counts, calls, rejects. */
export default function RunPage() {
  const { project = "", id = "" } = useParams();
  const number = Number(id);
  const run = useRun(project, number);
  const calls = useCalls(project, number);
  const cancel = useCancel(project, number);
  const goOn = useGoOn(project, number);
  const mayRun = usePermission(project, "run");
  const [open, setOpen] = useState<number | null>(null);
  if (!run.data) return <NotYet title={`Run ${id}`} what="Reading the run" error={run.error} />;
  const isOver = OVER.includes(run.data.state);
  const list = calls.items;
  const span = spanOf(list);
  return (
    <Page
      title={`${TITLES[run.data.kind] ?? run.data.title}, run ${id}`}
      aside={
        <>
          <StateTag state={run.data.state} completeness={run.data.completeness} /> <Tag>{run.data.environment}</Tag>{" "}
          {run.data.release !== null && <Tag>release {run.data.release}</Tag>}
          {run.data.is_dry && <Tag>dry run</Tag>}
          {run.data.attempt > 1 && <Tag>attempt {run.data.attempt}</Tag>}
          {!isOver && mayRun && (
            <button
              type="button"
              className="btn btn-sm ml-auto"
              disabled={cancel.isPending}
              onClick={() => cancel.mutate()}
            >
              Cancel it
            </button>
          )}
          {["failed", "cancelled"].includes(run.data.state) && run.data.feed && !run.data.is_dry && mayRun && (
            <button
              type="button"
              className="btn btn-sm ml-auto"
              disabled={goOn.isPending}
              onClick={() => goOn.mutate()}
            >
              Go on behind what was kept
            </button>
          )}
        </>
      }
    >
      <ProblemAlert error={cancel.error ?? goOn.error} />
      {run.data.parent !== null && (
        <p className="mb-2 text-sm">
          It was asked by{" "}
          <Link className="link" to={`../runs/${run.data.parent}`}>
            run {run.data.parent}
          </Link>
          .
        </p>
      )}
      <p className="mb-1 font-medium" aria-live="polite">
        {run.data.summary}
      </p>
      <p className="mb-4 text-sm opacity-80">
        {(run.data.by || run.data.begun_by) && `Started by ${run.data.by ?? run.data.begun_by} `}
        {when(run.data.started_at ?? run.data.queued_at)}
        {run.data.ended_at && run.data.started_at && `, took ${duration(run.data.started_at, run.data.ended_at)}`}
        {run.data.ending &&
          isOver &&
          run.data.error?.message !== run.data.ending &&
          run.data.completeness !== "incomplete" &&
          `; ${run.data.ending}`}
        {run.data.kind === "feed" && run.data.state === "done" && COMPLETENESS[run.data.completeness]}
        {run.data.feed && (
          <>
            {" "}
            ·{" "}
            <Link className="link" to={`../feeds/${run.data.feed}`}>
              feed {run.data.feed}
            </Link>
          </>
        )}
        {run.data.flow && (
          <>
            {" "}
            ·{" "}
            <Link className="link" to={`../flows/${run.data.flow}`}>
              flow {run.data.flow}
            </Link>
            {" · "}
            <Link className="link" to={`../flows/${run.data.flow}?run=${run.data.id}`}>
              run it again with these inputs
            </Link>
          </>
        )}
        {run.data.operation && (
          <>
            {" "}
            ·{" "}
            <Link className="link" to={`../operations/${run.data.operation}`}>
              operation {run.data.operation}
            </Link>
          </>
        )}
      </p>
      {run.data.error && (
        <div role="alert" className="mb-4 border-l-4 border-error bg-error/8 px-3 py-2 text-sm">
          <p className="font-medium text-error">{run.data.error.message}</p>
          <p className="font-mono text-xs break-all opacity-80">{run.data.error.where}</p>
          {run.data.error.hint && (
            <p>
              <Advice before="What to do: " hint={run.data.error.hint} />
            </p>
          )}
        </div>
      )}
      <FlowSteps project={project} run={run.data} mayRun={mayRun} />
      <FlowBeside project={project} run={run.data} />
      <RunInputs project={project} run={run.data} />
      <Remarks project={project} run={run.data} mayRun={mayRun} />
      {run.data.counts.map((one) => (
        <Counts
          key={one.record_type}
          count={one}
          expected={run.data.expected_rows}
          isOver={isOver}
          environment={run.data.environment}
        />
      ))}
      <PlannedChanges project={project} run={run.data} mayRun={mayRun} />
      <RowFailures project={project} run={run.data} mayRun={mayRun} />
      <Rejects project={project} run={run.data} mayRun={mayRun} />
      <section>
        <Heading
          aside={
            <>
              <span className="text-xs opacity-75">
                {list.length ? `${list.length}${calls.hasMore ? " or more" : ""}` : ""}
              </span>
              {list.length > 1 && <CallKey />}
            </>
          }
        >
          Calls
        </Heading>
        {list.length === 0 && (
          <p className="text-sm opacity-80">
            {calls.isPending || run.data.calls > 0 ? (
              "Reading its calls"
            ) : !isOver ? (
              "No call yet."
            ) : run.data.kind === "flow" ? (
              <>
                It called no operation itself. If it asked for live records, those calls are{" "}
                <Link className="link" to={`/p/${project}/runs?kind=live`}>
                  runs of their own
                </Link>
                .
              </>
            ) : (
              "It made no call."
            )}
          </p>
        )}
        <ol className="text-xs">
          {list.map((call) => (
            <li key={call.number} className="border-b border-base-300">
              <button
                type="button"
                className="grid w-full cursor-pointer grid-cols-[2rem_3rem_1fr_auto] items-center gap-3 py-1.5 text-left sm:grid-cols-[2rem_3rem_1fr_4.5rem_4.5rem_22rem]"
                aria-expanded={open === call.number}
                onClick={() => setOpen(open === call.number ? null : call.number)}
              >
                <span className="opacity-70">{call.number}</span>
                <span
                  className={`font-semibold ${call.error || (call.status ?? 0) >= 300 ? "text-error" : "text-success"}`}
                >
                  {call.status ?? "none"}
                </span>
                <span className="truncate font-mono">
                  {call.purpose && (
                    <span className="mr-2 rounded-selector bg-base-200 px-1.5 font-sans opacity-80">
                      {call.purpose}
                    </span>
                  )}
                  {call.operation && <span className="mr-2 text-secondary">{call.operation}</span>}
                  {call.method} {call.url}
                </span>
                <span className="hidden text-right sm:inline">{call.rows !== null && `${call.rows} rows`}</span>
                <span className="hidden text-right sm:inline">{bytes(call.size)}</span>
                <span className="flex items-center gap-2">
                  <span className="hidden flex-1 sm:block">
                    <CallBar call={call} span={span} />
                  </span>
                  <span className="w-14 text-right">{call.timings && `${call.timings.done.toFixed(0)} ms`}</span>
                </span>
              </button>
              {open === call.number && (
                <div className="grid gap-3 pb-3 md:grid-cols-2">
                  <div>
                    <pre className="overflow-auto rounded-field bg-base-200 p-2 font-mono break-all whitespace-pre-wrap">
                      {call.request}
                    </pre>
                    {call.by && (
                      <p className="mt-1 opacity-70">
                        left {call.via === "direct" ? "directly" : `through the ${call.via}`}, from {call.by}
                      </p>
                    )}
                  </div>
                  <div>
                    {call.error && (
                      <p className="mb-1 text-error">
                        {call.error.message} {call.error.hint}
                      </p>
                    )}
                    <pre className="overflow-auto rounded-field bg-base-200 p-2 font-mono break-all whitespace-pre-wrap">{`${call.status ?? ""} ${call.reason}\n${call.headers.map((one) => one.join(": ")).join("\n")}`}</pre>
                    {call.body &&
                      run.data.kind !== "trial" &&
                      run.data.kind !== "application" &&
                      ["", "delivery"].includes(call.purpose) && (
                        <>
                          <Link className="link" to={`calls/${call.number}`}>
                            look at it and what it fed
                          </Link>{" "}
                          ·{" "}
                        </>
                      )}
                    {call.body ? (
                      <a className="link" href={`/api/v1/projects/${project}/bodies/${call.body}/content`} download>
                        save its body
                      </a>
                    ) : (
                      <p className="opacity-70">
                        Its body was not kept: the first page is, and whatever failed or had rejects.
                      </p>
                    )}
                  </div>
                </div>
              )}
            </li>
          ))}
        </ol>
        <More list={calls} what="calls" />
      </section>
    </Page>
  );
}

function Counts({
  count,
  expected,
  isOver,
  environment,
}: {
  count: Schemas["RunCount"];
  expected: number | null;
  isOver: boolean;
  environment: string;
}) {
  const whole = Math.max(count.rows, isOver ? 0 : (expected ?? 0), 1);
  return (
    <section className="mb-6 max-w-3xl">
      <Heading
        aside={
          <Link
            className="link text-sm"
            to={`../records/${count.record_type}${environment === "test" ? "" : `?environment=${environment}`}`}
          >
            open the records
          </Link>
        }
      >
        {count.record_type}
      </Heading>
      <div
        className="flex h-3 overflow-hidden rounded-full bg-base-200"
        role="img"
        aria-label={PARTS.map(([name]) => `${count[name]} ${name}`).join(", ")}
      >
        {PARTS.map(([name, colour]) => (
          <div key={name} className={colour} style={{ width: `${(100 * count[name]) / whole}%` }} />
        ))}
      </div>
      <p className="mt-1.5 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        <span className="font-medium">
          {count.rows.toLocaleString("en")}
          {!isOver && expected ? ` of ${expected.toLocaleString("en")}` : ""} rows
        </span>
        {PARTS.filter(([name]) => count[name] > 0).map(([name, colour]) => (
          <span key={name} className="inline-flex items-center gap-1.5">
            <span className={`inline-block size-2 rounded-full ${colour}`} /> {count[name].toLocaleString("en")} {name}
          </span>
        ))}
      </p>
    </section>
  );
}

function duration(from: string, to: string): string {
  const seconds = (new Date(to).getTime() - new Date(from).getTime()) / 1000;
  return seconds < 60 ? `${seconds.toFixed(1)} s` : `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
}
