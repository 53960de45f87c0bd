import { useState } from "react";
import type { AskStep, Step } from "./words";

type Set = (pointer: string, value: unknown) => void;

/** What holds for a step besides what it does: its time, what happens if it fails, who is asked. */
export function StepRules({ step, onSet }: { step: Step; onSet: Set }) {
  return (
    <div className="flex flex-wrap items-end gap-x-3 gap-y-1">
      {step.type === "pause" && step.person && (
        <>
          <Named label="The question">
            <input
              className="input input-xs w-72"
              value={step.person.question}
              onChange={(e) => onSet("/person/question", e.target.value)}
            />
          </Named>
          <Named label="Who may answer">
            <select
              className="select select-xs w-40"
              value={(step.person.roles ?? []).join(" ")}
              onChange={(e) => onSet("/person/roles", e.target.value ? e.target.value.split(" ") : undefined)}
            >
              <option value="">whoever may run it</option>
              {["operator", "builder", "administrator"].map((one) => (
                <option key={one}>{one}</option>
              ))}
              {(step.person.roles ?? []).length > 1 && <option>{step.person.roles?.join(" ")}</option>}
            </select>
          </Named>
        </>
      )}
      {step.type === "pause" && step.seconds != null && (
        <Seconds label="Seconds" value={step.seconds} onValue={(value) => onSet("/seconds", value ?? 1)} />
      )}
      {step.type === "ask" && !step.ask && <SuccessOf step={step} onSet={onSet} />}
      {"time_limit" in step || step.type === "ask" || step.type === "records" || step.type === "pause" ? (
        <Seconds
          label="Time limit, seconds"
          value={"time_limit" in step ? (step.time_limit ?? null) : null}
          onValue={(value) => onSet("/time_limit", value)}
        />
      ) : null}
      {(step.type === "ask" || step.type === "records") && <IfItFails step={step} onSet={onSet} />}
    </div>
  );
}

function Named({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <label>
      <span className="block opacity-75">{label}</span>
      {children}
    </label>
  );
}

/** A number of seconds, blank for none. */
function Seconds({
  label,
  value,
  onValue,
}: {
  label: string;
  value: number | null;
  onValue: (value: number | undefined) => void;
}) {
  const [text, setText] = useState(value === null ? "" : String(value));
  return (
    <Named label={label}>
      <input
        className="input input-xs w-24"
        inputMode="decimal"
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          const number = Number(e.target.value);
          if (e.target.value === "") onValue(undefined);
          else if (number > 0) onValue(number);
        }}
      />
    </Named>
  );
}

function SuccessOf({ step, onSet }: { step: AskStep; onSet: Set }) {
  const type = step.success?.type ?? "all";
  return (
    <Named label="It has succeeded">
      <select
        className="select select-xs w-64"
        value={type}
        onChange={(e) =>
          onSet("/success", e.target.value === "at_least" ? { type: "at_least", count: 1 } : { type: e.target.value })
        }
      >
        <option value="all">if all have</option>
        <option value="what_succeeds">with what succeeds, failures beside it</option>
        <option value="at_least">if so many have</option>
        <option value="first">with the first that does</option>
      </select>
      {step.success?.type === "at_least" && (
        <input
          className="input input-xs ml-1 w-14"
          aria-label="How many"
          type="number"
          min={1}
          value={step.success.count}
          onChange={(e) => onSet("/success/count", Math.max(1, Number(e.target.value)))}
        />
      )}
    </Named>
  );
}

const RULES = [
  ["", "the flow fails"],
  ["go_on", "go on without it"],
  ["repeat", "again, 3 times at most"],
  ["repeat go_on", "again, then go on without it"],
];

/** The rule for failures, where it is one of the plain ones; others are written in the text. */
function IfItFails({ step, onSet }: { step: Extract<Step, { type: "ask" | "records" }>; onSet: Set }) {
  const rules = step.on_failure ?? [];
  const isPlain = rules.every((one) => one.type !== "instead" && Object.keys(one).length === 1);
  const chosen = rules.map((one) => one.type).join(" ");
  if (!isPlain || !RULES.some(([rule]) => rule === chosen))
    return <span className="opacity-75">what happens if it fails is said in the text</span>;
  return (
    <Named label="If it fails">
      <select
        className="select select-xs w-52"
        value={chosen}
        onChange={(e) =>
          onSet("/on_failure", e.target.value ? e.target.value.split(" ").map((type) => ({ type })) : undefined)
        }
      >
        {RULES.map(([rule, words]) => (
          <option key={rule} value={rule}>
            {words}
          </option>
        ))}
      </select>
    </Named>
  );
}
