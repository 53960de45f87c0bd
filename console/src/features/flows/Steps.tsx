import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { AddStep } from "./AddStep";
import { Members } from "./Members";
import { StepEditor, type Editing } from "./StepEditor";
import {
  asked,
  conditionWords,
  ruleWords,
  sourceWords,
  stepWords,
  type Document,
  type Source,
  type Step,
} from "./words";

interface Props {
  project: string;
  document: Document;
  findings: { where: string; message: string; hint: string }[];
  /** The part that is looked at (JSON Pointer), in this list or in the text beside it. */
  lit: string | null;
  onPoint: (pointer: string) => void;
  /** What stands beside a step: its values in a run. */
  values?: (step: Step) => ReactNode;
  /** What a step needs that is opened to be changed; nothing, where nobody may. */
  editing?: Editing;
  /** The step that is opened (JSON Pointer). */
  opened?: string | null;
}

/** A flow as a numbered text of steps; what is asked at once stands in lanes beside each other. */
export function Steps(props: Props) {
  const { document } = props;
  return (
    <fieldset className="min-w-0 text-sm" disabled={props.editing?.isLocked}>
      {document.description && <p className="mb-2">{document.description}</p>}
      {(props.editing || givenWords(document)) && (
        <p className="mb-2">
          <span className="opacity-85">{givenWords(document)}</span>
          {props.editing && (
            <button
              type="button"
              className="link ml-3 text-xs"
              aria-expanded={props.opened === WHOLE}
              aria-label={props.opened === WHOLE ? "Close the flow as a whole" : "Change what it is given and replies"}
              onClick={() => props.editing?.onOpened(props.opened === WHOLE ? null : WHOLE)}
            >
              {props.opened === WHOLE ? "close" : "change"}
            </button>
          )}
        </p>
      )}
      {props.editing && props.opened === WHOLE && <Members {...props.editing} />}
      <List {...props} steps={document.steps ?? []} at="/steps" before="" />
    </fieldset>
  );
}

/** In place of a step's place. */
const WHOLE = "/";

/** What a flow is given, and what it replies. */
function givenWords(document: Document): string {
  const given = (document.inputs ?? []).map((one) => `${one.name}${one.required ? "" : ", if any"}`).join("; ");
  const replied = (document.reply ?? []).map((one) => one.name).join(", ");
  return [given && `Given ${given}.`, replied && `Replies ${replied}.`].filter(Boolean).join(" ");
}

function List({ steps, at, before, ...props }: Props & { steps: Step[]; at: string; before: string }) {
  return (
    <ol>
      {steps.map((step, number) => (
        <One key={step.name} {...props} step={step} at={`${at}/${number}`} number={`${before}${number + 1}`} />
      ))}
      {props.editing && <AddStep {...props.editing} list={at} />}
    </ol>
  );
}

function One({ step, at, number, ...props }: Props & { step: Step; at: string; number: string }) {
  const { findings, lit, onPoint } = props;
  const own = findings.filter((one) => stepOf(one.where) === at);
  const isOpen = props.opened === at;
  const isLit = lit !== null && stepOf(lit) === at;
  const instead = "on_failure" in step ? (step.on_failure ?? []) : [];
  return (
    <li
      className={`border-l-2 py-1.5 pl-3 ${own.length ? "border-error" : isLit ? "border-accent" : "border-base-300"}`}
    >
      <button type="button" className="cursor-pointer text-left" aria-pressed={isLit} onClick={() => onPoint(at)}>
        <span className="mr-2 font-mono text-xs opacity-75">{number}</span>
        <span className="font-medium">{stepWords(step)}</span>
        <span className="ml-2 font-mono text-xs opacity-75">{step.name}</span>
      </button>
      {props.editing && (
        <button
          type="button"
          className="link ml-3 text-xs"
          aria-expanded={isOpen}
          aria-label={`${isOpen ? "Close" : "Change"} ${step.name}`}
          onClick={() => props.editing?.onOpened(isOpen ? null : at)}
        >
          {isOpen ? "close" : "change"}
        </button>
      )}
      {props.editing && isOpen && <StepEditor {...props.editing} step={step} place={at} />}
      {!(props.editing && isOpen) && <Told project={props.project} step={step} />}
      {props.values?.(step)}
      {own.map((one) => (
        <p key={one.where + one.message} className="mt-0.5 text-xs text-error">
          {one.message}. <span className="text-base-content opacity-80">{one.hint}</span>
        </p>
      ))}
      {instead.map((rule, which) =>
        rule.type === "instead" ? (
          <List
            key={which}
            {...props}
            steps={rule.steps ?? []}
            at={`${at}/on_failure/${which}/steps`}
            before={`${number}.`}
          />
        ) : null,
      )}
      {step.type === "decide" && (
        <>
          {step.ways?.map((way, which) => (
            <div key={which} className="mt-1">
              <p className="text-xs">
                {which === 0 ? "If" : "else if"} {way.title || way.when?.map(conditionWords).join(" and ")}:
              </p>
              <List
                {...props}
                steps={way.steps ?? []}
                at={`${at}/ways/${which}/steps`}
                before={`${number}.${which + 1}.`}
              />
            </div>
          ))}
          {((step.otherwise ?? []).length > 0 || props.editing) && (
            <div className="mt-1">
              <p className="text-xs">For everything else:</p>
              <List
                {...props}
                steps={step.otherwise ?? []}
                at={`${at}/otherwise`}
                before={`${number}.${(step.ways?.length ?? 0) + 1}.`}
              />
            </div>
          )}
        </>
      )}
    </li>
  );
}

/** A step as it is told: what it asks and is given, and what holds for it. */
function Told({ project, step }: { project: string; step: Step }) {
  return (
    <>
      <Asked project={project} step={step} />
      {step.type === "records" && <Given of={{ ...step.key, ...step.fields }} />}
      {step.type === "pause" && step.person?.shows && <Given of={step.person.shows} />}
      {step.type === "end" && step.reply && <Given of={step.reply} />}
      {ruleWords(step).map((line) => (
        <p key={line} className="text-xs opacity-80">
          {line}
        </p>
      ))}
    </>
  );
}

/** What a step asks: one thing, or several in lanes. */
function Asked({ project, step }: { project: string; step: Step }) {
  if (step.type !== "ask") return null;
  const one = step.ask ?? step.each?.ask;
  if (one) return <Lane project={project} ask={one} />;
  return (
    <div className="my-1 grid gap-2" style={{ gridTemplateColumns: "repeat(auto-fit, minmax(9rem, 1fr))" }}>
      {step.together?.map((branch) => (
        <div key={branch.name} className="min-w-0 border-t-2 border-info pt-1">
          <p className="text-xs font-medium">{branch.name}</p>
          <Lane project={project} ask={branch} />
        </div>
      ))}
    </div>
  );
}

function Lane({ project, ask }: { project: string; ask: Schemas["Ask"] }) {
  const kind = ask.operation ? "operations" : ask.flow ? "flows" : "records";
  const name = ask.operation || ask.flow || ask.record_type;
  return (
    <div className="text-xs">
      <p className="truncate">
        <Link className="link" to={`/p/${project}/${kind}/${name}`}>
          {asked(ask)}
        </Link>
        {ask.mapping && <span className="opacity-80"> as {ask.mapping}</span>}
      </p>
      <Given of={ask.inputs ?? {}} />
      {ask.undo && <p className="opacity-80">taken back by {asked(ask.undo)}</p>}
    </div>
  );
}

/** Values by their names, with where each comes from. */
function Given({ of }: { of: Record<string, Source> }) {
  return (
    <ul className="text-xs">
      {Object.entries(of).map(([name, source]) => (
        <li key={name} className="break-words">
          <span className="font-mono">{name}</span> <span className="opacity-75">from</span> {sourceWords(source)}
        </li>
      ))}
    </ul>
  );
}

/** The step that a place is in, the innermost one. */
function stepOf(pointer: string): string {
  return /^(\/steps\/\d+(?:\/(?:ways\/\d+\/steps|otherwise|on_failure\/\d+\/steps)\/\d+)*)/.exec(pointer)?.[1] ?? "";
}
