import { useState } from "react";
import { Named, Seconds, type Set } from "./StepRules";
import { Names } from "./Typed";
import type { Step } from "./words";

type Rule = NonNullable<Extract<Step, { type: "ask" }>["on_failure"]>[number];

const PLAIN = [
  ["", "the flow fails"],
  ["go_on", "go on without it"],
  ["repeat", "again, 3 times at most"],
  ["repeat go_on", "again, then go on without it"],
];
const WORDS: [Rule["type"], string][] = [
  ["go_on", "go on without it"],
  ["repeat", "again"],
  ["instead", "instead, other steps"],
];

/** A rule as it begins. */
const EMPTY: Record<Rule["type"], Rule> = {
  go_on: { type: "go_on" },
  repeat: { type: "repeat" },
  instead: { type: "instead", steps: [] },
};

/** What is done when a step fails: one of the plain ways, or rules of which the first that fits counts. */
export function IfItFails({ rules, onSet }: { rules: Rule[]; onSet: Set }) {
  const chosen = rules.map((one) => one.type).join(" ");
  const isPlain =
    rules.every((one) => one.type !== "instead" && Object.keys(one).length === 1) &&
    PLAIN.some(([rule]) => rule === chosen);
  const [isOpen, setIsOpen] = useState(!isPlain); // what is being edited does not close when it becomes plain
  const put = (made: Rule[]) => onSet("/on_failure", made.length ? made : undefined);
  if (isPlain && !isOpen)
    return (
      <>
        <Named label="If it fails">
          <select
            className="select select-xs w-52"
            value={chosen}
            onChange={(e) => put(e.target.value ? e.target.value.split(" ").map((type) => ({ type }) as Rule) : [])}
          >
            {PLAIN.map(([rule, words]) => (
              <option key={rule} value={rule}>
                {words}
              </option>
            ))}
          </select>
        </Named>
        <button type="button" className="link" onClick={() => setIsOpen(true)}>
          if it fails, in detail
        </button>
      </>
    );
  return (
    <div className="w-full" role="group" aria-label="If it fails">
      <p className="opacity-75">If it fails, the first of these that fits; if none does, the flow fails</p>
      <ol>
        {rules.map((rule, number) => (
          <OneRule
            key={number}
            rule={rule}
            number={number + 1}
            onRule={(made) => put(rules.flatMap((one, which) => (which === number ? (made ? [made] : []) : [one])))}
          />
        ))}
      </ol>
      <button type="button" className="link" onClick={() => put([...rules, { type: "go_on" }])}>
        Add a rule for failures
      </button>
    </div>
  );
}

function OneRule({ rule, number, onRule }: { rule: Rule; number: number; onRule: (rule: Rule | undefined) => void }) {
  const kinds = rule.kinds ?? [];
  return (
    <li className="flex flex-wrap items-end gap-2 border-t border-base-300 py-1">
      <Named label={`Rule ${number}`}>
        <select
          className="select select-xs w-40"
          value={rule.type}
          onChange={(e) => onRule(withKinds(EMPTY[e.target.value as Rule["type"]], kinds))}
        >
          {WORDS.map(([type, words]) => (
            <option key={type} value={type}>
              {words}
            </option>
          ))}
        </select>
      </Named>
      <Named label="Only of these kinds">
        <Names
          className="input input-xs w-48 font-mono"
          placeholder={rule.type === "repeat" ? "what may pass by itself" : "any kind"}
          names={kinds}
          onNames={(made) => onRule(withKinds(rule, made))}
        />
      </Named>
      {rule.type === "repeat" && (
        <>
          <Named label="Times">
            <input
              className="input input-xs w-14"
              type="number"
              min={1}
              max={100}
              value={rule.times ?? 3}
              onChange={(e) => onRule({ ...rule, times: Math.max(1, Number(e.target.value)) })}
            />
          </Named>
          <Seconds
            label="First pause, seconds"
            value={rule.pause ?? 1}
            onValue={(value) => onRule({ ...rule, pause: value })}
          />
        </>
      )}
      {rule.type === "instead" && <span className="opacity-75">its steps stand below this one</span>}
      <button type="button" className="link ml-auto" onClick={() => onRule(undefined)}>
        not this rule
      </button>
    </li>
  );
}

function withKinds(rule: Rule, kinds: string[]): Rule {
  const { kinds: _, ...rest } = rule;
  return kinds.length ? { ...rest, kinds } : rest;
}
