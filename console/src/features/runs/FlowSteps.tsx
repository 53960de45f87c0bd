import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { Heading, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { RecordCase } from "../releases/RecordCase";
import { usePermission } from "../session/session";
import { seconds, Value } from "./TaskParts";
import { useAnswer, useFlowRun, useContinue, useSettle } from "./flowRuns";

type Task = Schemas["TaskItem"];
type Pause = Schemas["PauseItem"];
interface Outcome {
  outcome: string;
  failure?: { kind?: string; message?: string; hint?: string };
  agreed?: boolean;
  by?: string;
}

/** What a flow asked and waited for, on one time axis; what it waits for now; and what it replied. */
export function FlowSteps({ project, run, mayRun }: { project: string; run: Schemas["Run"]; mayRun: boolean }) {
  const found = useFlowRun(project, run);
  const mayBuild = usePermission(project, "build");
  const [open, setOpen] = useState<string | null>(null);
  if (run.kind !== "flow") return null;
  if (!found.data) return <ProblemAlert error={found.error} />;
  const { tasks, pauses, reply, undone } = found.data;
  const span = spanOf(tasks);
  return (
    <section className="mb-6">
      {pauses.map((pause) => (
        <Waits key={pause.task} project={project} run={run.id} pause={pause} mayRun={mayRun} />
      ))}
      <Heading>Steps</Heading>
      {tasks.length === 0 && <p className="text-sm opacity-80">Nothing was asked yet.</p>}
      <ol className="text-xs">
        {tasks.map((task) => (
          <li key={task.task} className="border-b border-base-300">
            <button
              type="button"
              className="grid w-full cursor-pointer grid-cols-[12rem_1fr] items-center gap-3 py-1.5 text-left sm:grid-cols-[14rem_1fr_20rem]"
              aria-expanded={open === task.task}
              onClick={() => setOpen(open === task.task ? null : task.task)}
            >
              <span className="truncate font-mono">{task.task}</span>
              <Words
                task={task}
                isUndone={undone.includes(task.task)}
                isPause={pauses.some((one) => one.task === task.task)}
              />
              <Bar task={task} span={span} />
            </button>
            {open === task.task && (
              <div className="grid gap-3 pb-3 md:grid-cols-2">
                <Value title="was given" value={task.given} />
                <Value title="came to" value={task.outcome} />
                {task.run !== null && (
                  <Link className="link" to={`../runs/${task.run}`}>
                    run {task.run} of the flow that was asked
                  </Link>
                )}
              </div>
            )}
          </li>
        ))}
      </ol>
      {reply !== null && reply !== undefined && (
        <div className="mt-4">
          <Heading>Reply</Heading>
          <Value value={reply} />
        </div>
      )}
      {mayBuild && ["done", "failed"].includes(run.state) && <RecordCase project={project} run={run.id} />}
    </section>
  );
}

/** What the run waits for, and the buttons of whoever may let it go on. */
function Waits({ project, run, pause, mayRun }: { project: string; run: number; pause: Pause; mayRun: boolean }) {
  const yes = useAnswer(project, run);
  const settle = useSettle(project, run);
  const goOn = useContinue(project, run);
  const [note, setNote] = useState("");
  const words: Record<string, string> = {
    time: "It waits for a time.",
    callback: "It waits for a request from outside.",
    step: "It has stopped before this step, to be looked at, which would be given:",
    doubt: "Nobody knows whether this had its effect. Look at the service, and say what became of it.",
  };
  return (
    <div className="mb-4 rounded-box border border-warning bg-warning/10 p-3 text-sm" role="status">
      <p className="font-medium">{pause.question || words[pause.kind]}</p>
      <p className="text-xs opacity-80">
        at <span className="font-mono">{pause.task}</span>
        {pause.until && `, until ${when(pause.until)}`}
      </p>
      <dl className="my-2 grid grid-cols-[max-content_1fr] gap-x-3 text-xs">
        {Object.entries(pause.shows).map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="opacity-75">{name}</dt>
            <dd className="break-all">{typeof value === "string" ? value : JSON.stringify(value)}</dd>
          </div>
        ))}
      </dl>
      {pause.kind === "person" && pause.may_answer && mayRun && (
        <div className="flex flex-wrap items-center gap-2">
          <input
            className="input input-sm w-64"
            aria-label="Why, in your own words"
            placeholder="why, if it is worth saying"
            value={note}
            onChange={(e) => setNote(e.target.value)}
          />
          {(["yes", "no"] as const).map((one) => (
            <button
              key={one}
              type="button"
              className="btn btn-sm"
              disabled={yes.isPending}
              onClick={() => yes.mutate({ task: pause.task, agrees: one === "yes", note })}
            >
              {one === "yes" ? "Yes" : "No"}
            </button>
          ))}
        </div>
      )}
      {pause.kind === "person" && !pause.may_answer && <p className="text-xs">Somebody else is asked.</p>}
      {pause.kind === "step" && mayRun && (
        <button
          type="button"
          className="btn btn-sm"
          disabled={goOn.isPending}
          onClick={() => goOn.mutate({ step: pause.step })}
        >
          On to the end
        </button>
      )}
      {pause.kind === "doubt" && mayRun && (
        <div className="flex flex-wrap gap-2">
          {(
            [
              ["done", "It is done"],
              ["failed", "It failed"],
              ["again", "Do it once more"],
            ] as const
          ).map(([how, title]) => (
            <button
              key={how}
              type="button"
              className="btn btn-sm"
              disabled={settle.isPending}
              onClick={() => settle.mutate({ task: pause.task, how })}
            >
              {title}
            </button>
          ))}
        </div>
      )}
      <ProblemAlert error={yes.error ?? settle.error ?? goOn.error} />
    </div>
  );
}

function Words({ task, isUndone, isPause }: { task: Task; isUndone: boolean; isPause: boolean }) {
  const outcome = task.outcome as Outcome | null;
  if (outcome === null) return <span className="hidden opacity-80 sm:inline">{isPause ? "waits" : "under way"}</span>;
  const failure = outcome.outcome === "failure" ? outcome.failure : undefined;
  const said =
    outcome.agreed !== undefined
      ? `${outcome.agreed ? "yes" : "no"}, said ${outcome.by}`
      : outcome.outcome.replace("_", " ");
  return (
    <span className={`hidden truncate sm:inline ${failure ? "text-error" : ""}`} title={failure?.hint}>
      {failure ? `${failure.kind}: ${failure.message}` : said}
      {task.recorded !== null && ` · of run ${task.recorded}`}
      {isUndone && " · taken back later"}
    </span>
  );
}

/** From when to when a task was under way, within the time of all of them. */
function Bar({ task, span }: { task: Task; span: Span }) {
  const begun = at(task.begun_at) - span.from;
  const end = (task.ended_at ? at(task.ended_at) : span.to) - span.from;
  const share = (part: number) => `${(100 * part) / Math.max(1, span.to - span.from)}%`;
  const isBad = (task.outcome as Outcome | null)?.outcome === "failure";
  return (
    <span className="flex items-center gap-2">
      <span className="relative h-2.5 flex-1 rounded-selector bg-base-200" aria-hidden>
        <span
          className={`absolute inset-y-0 min-w-0.5 rounded-selector ${isBad ? "bg-error" : task.ended_at ? "bg-success" : "bg-info"}`}
          style={{ left: share(begun), width: share(end - begun) }}
        />
      </span>
      <span className="w-16 text-right">{task.ended_at ? seconds(end - begun) : "…"}</span>
    </span>
  );
}

interface Span {
  from: number;
  to: number;
}

const at = (text: string) => new Date(text).getTime();

function spanOf(tasks: Task[]): Span {
  const moments = tasks.flatMap((one) => [at(one.begun_at), ...(one.ended_at ? [at(one.ended_at)] : [])]);
  return { from: Math.min(...moments), to: Math.max(...moments) };
}
