import { useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText, asTexts } from "../../ui/text";
import { SavedInputs } from "../releases/SavedInputs";
import { useEnvironments } from "../session/session";
import { useFlowObstacles, useRunFlow, type Flow } from "./flows";
import { namesOf } from "./words";

type Point = (pointer: string) => void;

/** Runs the flow as it is saved: with which inputs, from where on, and how far. */
export function RunFlow({
  project,
  flow,
  beside,
  from,
  onFrom,
  isChanged,
  onBeside,
  onPoint,
}: {
  project: string;
  flow: Flow;
  /** A run that is looked at: its inputs are those to begin with, and what it recorded can be taken over. */
  beside: Schemas["Run"] | undefined;
  /** The step before which that is taken over; empty for nothing. */
  from: string;
  onFrom: (step: string) => void;
  isChanged: boolean;
  /** A run that stops is looked at here. */
  onBeside: (run: number) => void;
  onPoint: Point;
}) {
  const run = useRunFlow(project, flow.name);
  const navigate = useNavigate();
  const environments = useEnvironments(project);
  const [environment, setEnvironment] = useState(beside?.environment ?? "test");
  const obstacles = useFlowObstacles(project, flow, environment);
  const only = obstacles.data?.filter((one) => !flow.problems.some((known) => known.message === one.message)) ?? [];
  const inputs = flow.document.inputs ?? [];
  const steps = namesOf(flow.document.steps ?? []);
  const [stop, setStop] = useState("");
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(inputs.map((one) => [one.name, asText(beside ? beside.inputs[one.name] : one.try_value)])),
  );
  const given = Object.fromEntries(Object.entries(values).filter(([, value]) => value !== ""));
  return (
    <form
      className="mb-5 rounded-box border border-base-300 p-3"
      onSubmit={(event) => {
        event.preventDefault();
        const recorded = beside && from ? { run: beside.id, before: from } : null;
        run.mutate(
          { inputs: given, environment, stop_before: stop, recorded },
          {
            onSuccess: (begun) =>
              stop || recorded ? onBeside(begun.id) : void navigate(`/p/${project}/runs/${begun.id}`),
          },
        );
      }}
    >
      <Heading>Run it</Heading>
      <SavedInputs
        project={project}
        names={inputs.map((one) => one.name)}
        onChoose={(saved) => setValues({ ...values, ...asTexts(saved) })}
      />
      {inputs.map((one) => (
        <Field
          key={one.name}
          label={one.title || one.name}
          hint={`${one.type ?? "text"}${one.required ? "" : ", if any"}`}
        >
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono text-xs"
              value={values[one.name] ?? ""}
              onChange={(e) => setValues({ ...values, [one.name]: e.target.value })}
            />
          )}
        </Field>
      ))}
      {beside && from && (
        <p className="mb-2 text-xs">
          From <span className="font-mono">{from}</span> on, with what run {beside.id} recorded before it.{" "}
          <button type="button" className="link" onClick={() => onFrom("")}>
            From the beginning
          </button>
        </p>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <select
          className="select select-sm w-44"
          aria-label="How far"
          value={stop}
          onChange={(e) => setStop(e.target.value)}
        >
          <option value="">to its end</option>
          <option value="*">step by step</option>
          {steps.map((one) => (
            <option key={one} value={one}>
              stop before {one}
            </option>
          ))}
        </select>
        <select
          className="select select-sm w-32"
          aria-label="Environment"
          value={environment}
          onChange={(e) => setEnvironment(e.target.value)}
        >
          {environments.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <button className="btn btn-sm" disabled={run.isPending || flow.problems.length > 0}>
          Run
        </button>
        {isChanged && <span className="text-xs opacity-80">as it is saved</span>}
      </div>
      <ProblemAlert error={run.error} />
      {only.length > 0 && (
        <div className="mt-3">
          <Findings title={`In ${environment}, it is stopped by`} of={only} tone="border-warning" onPoint={onPoint} />
        </div>
      )}
    </form>
  );
}

/** What is wrong, each leading to its place. */
export function Findings({
  title,
  of,
  tone,
  onPoint,
}: {
  title: string;
  of: Flow["problems"];
  tone: string;
  onPoint: Point;
}) {
  if (of.length === 0) return null;
  return (
    <section className="mb-4">
      <Heading>{title}</Heading>
      <ul>
        {of.map((one) => (
          <li key={one.where + one.message} className={`mb-1 border-l-2 pl-2 text-sm ${tone}`}>
            {one.message}. <span className="opacity-80">{one.hint}</span>
            <button type="button" className="link block font-mono text-xs" onClick={() => onPoint(one.where)}>
              {one.where}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
