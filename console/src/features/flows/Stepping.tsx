import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Heading, StateTag } from "../../ui/parts";
import { useContinue } from "../runs/flowRuns";
import { seconds, Value } from "../runs/TaskParts";
import type { Step } from "./words";

type Shown = Schemas["FlowRunShown"];

/** A run that is looked at beside the steps: where it is, and the buttons that let it go on. */
export function Stepping({
  project,
  run,
  shown,
  isOther,
  mayRun,
  onLeave,
}: {
  project: string;
  run: Schemas["Run"];
  shown: Shown | undefined;
  /** It went by another version of the flow than is shown. */
  isOther: boolean;
  mayRun: boolean;
  onLeave: () => void;
}) {
  const goOn = useContinue(project, run.id);
  const stop = shown?.pauses.find((one) => one.kind === "step");
  const others = shown?.pauses.filter((one) => one.kind !== "step") ?? [];
  return (
    <section className="mb-5 rounded-box border border-info p-3 text-sm" aria-label={`Run ${run.id}`}>
      <div className="flex items-center gap-2">
        <Link className="link font-medium" to={`/p/${project}/runs/${run.id}`}>
          Run {run.id}
        </Link>
        <StateTag state={run.state} />
        <button type="button" className="link ml-auto text-xs" onClick={onLeave}>
          Leave it
        </button>
      </div>
      <p className="mt-1" role="status">
        {stop ? (
          <>
            It has stopped before <span className="font-mono">{stop.step}</span>.
          </>
        ) : (
          run.summary
        )}
      </p>
      {others.map((one) => (
        <p key={one.task} className="text-xs">
          It waits at <span className="font-mono">{one.task}</span>: {one.question || "see the run"}
        </p>
      ))}
      {stop && (
        <>
          <p className="mt-2 text-xs opacity-80">The step would be given:</p>
          <Value value={stop.shows} />
          {mayRun && (
            <div className="mt-2 flex flex-wrap gap-2">
              <button
                type="button"
                className="btn btn-sm"
                disabled={goOn.isPending}
                onClick={() => goOn.mutate({ step: stop.step, stop_before: "*" })}
              >
                Next step
              </button>
              <button
                type="button"
                className="btn btn-sm"
                disabled={goOn.isPending}
                onClick={() => goOn.mutate({ step: stop.step })}
              >
                On to the end
              </button>
            </div>
          )}
        </>
      )}
      {isOther && <p className="mt-1 text-xs">It went by another version of the flow than is shown here.</p>}
      {run.error && <p className="mt-1 text-xs text-error">{run.error.message}</p>}
      {shown?.reply !== null && shown?.reply !== undefined && (
        <>
          <Heading>It replied</Heading>
          <Value value={shown.reply} />
        </>
      )}
      <ProblemAlert error={goOn.error} />
    </section>
  );
}

/** Beside a step: what each of its tasks was given, and what it came to, in the run that is looked at. */
export function StepValues({ step, shown, onFrom }: { step: Step; shown: Shown; onFrom?: (step: string) => void }) {
  const tasks = shown.tasks.filter((one) => one.step === step.name);
  const kept = "keep" in step ? (step.keep ?? []).filter((one) => one.name in (shown.kept as object)) : [];
  const isStopped = shown.pauses.some((one) => one.kind === "step" && one.step === step.name);
  if (tasks.length === 0 && !isStopped) return null;
  return (
    <div className="my-1 rounded-field bg-base-200 px-2 py-1 text-xs">
      {isStopped && <p className="font-medium">The run has stopped before this step.</p>}
      {tasks.map((task) => (
        <Task key={task.task} task={task} isOne={task.task === step.name} />
      ))}
      {kept.map((one) => (
        <p key={one.name} className="truncate">
          kept <span className="font-mono">{one.name}</span>: {JSON.stringify((shown.kept as Values)[one.name])}
        </p>
      ))}
      {tasks.length > 0 && onFrom && (
        <button type="button" className="link" onClick={() => onFrom(step.name)}>
          Again from here
        </button>
      )}
    </div>
  );
}

type Values = Record<string, unknown>;

function Task({ task, isOne }: { task: Schemas["TaskItem"]; isOne: boolean }) {
  const [isOpen, setIsOpen] = useState(false);
  const outcome = task.outcome as { outcome: string; failure?: { kind?: string; message?: string } } | null;
  const failure = outcome?.outcome === "failure" ? outcome.failure : undefined;
  const words = outcome === null ? "nothing yet" : outcome.outcome.replace("_", " ");
  return (
    <div>
      <button
        type="button"
        className="flex w-full cursor-pointer gap-2 text-left"
        aria-expanded={isOpen}
        onClick={() => setIsOpen(!isOpen)}
      >
        <span aria-hidden>{isOpen ? "−" : "+"}</span>
        {!isOne && <span className="font-mono">{task.task}</span>}
        <span className={`min-w-0 flex-1 truncate ${failure ? "text-error" : ""}`}>
          {failure ? `${failure.kind}: ${failure.message}` : words}
        </span>
        {task.recorded !== null && <span className="opacity-75">of run {task.recorded}</span>}
        <span className="opacity-75">{took(task)}</span>
      </button>
      {isOpen && (
        <div className="grid gap-2 py-1 md:grid-cols-2">
          <Value title="was given" value={task.given} />
          <Value title="came to" value={task.outcome} />
        </div>
      )}
    </div>
  );
}

function took(task: Schemas["TaskItem"]): string {
  if (!task.ended_at || task.recorded !== null) return "";
  return seconds(new Date(task.ended_at).getTime() - new Date(task.begun_at).getTime());
}
