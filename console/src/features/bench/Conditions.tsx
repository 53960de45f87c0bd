import { useState } from "react";
import { conditionsOf, dropCondition, withCondition, type Condition, type Plan } from "./plan";
import { fromRow, sourceOf, sourceText, stepsText } from "./paths";
import type { RecordsProps } from "./RecordsPane";

const COMPARISONS: [string, string][] = [
  ["equal", "is"],
  ["not_equal", "is not"],
  ["less", "is less than"],
  ["at_most", "is at most"],
  ["more", "is more than"],
  ["at_least", "is at least"],
  ["matches", "matches"],
  ["present", "is there"],
  ["absent", "is not there"],
];

/** The conditions that rows must pass, in words; each can be dropped. */
export function Conditions({ plan, mayBuild, onPlan }: RecordsProps & { plan: Plan }) {
  return conditionsOf(plan).map((one, number) => (
    <p key={number} className="mb-2 flex flex-wrap items-center gap-2 text-xs">
      <span>
        Only rows where <span className="font-mono">{sourceText(one.from, plan.mapping.format)}</span>{" "}
        {COMPARISONS.find(([name]) => name === (one.is ?? "equal"))?.[1] ?? `is ${one.is!.replace("_", " ")}`}{" "}
        <span className="font-mono">{"value" in one ? JSON.stringify(one.value) : ""}</span>
      </span>
      {mayBuild && (
        <button type="button" className="link" onClick={() => onPlan(dropCondition(plan, number))}>
          all rows again
        </button>
      )}
    </p>
  ));
}

/** A condition that rows must pass, put together from a value of the row and a comparison. */
export function OnlySome({ plan, lines, onPlan }: RecordsProps & { plan: Plan }) {
  const [isOpen, setOpen] = useState(false);
  const [path, setPath] = useState("");
  const [is, setIs] = useState("equal");
  const [value, setValue] = useState("");
  const offered = lines.flatMap((one) => {
    const inRow = one.type ? fromRow(one.path, plan.rows) : null;
    return inRow === null ? [] : [{ path: inRow, type: one.type }];
  });
  const isAlone = is === "present" || is === "absent";
  const add = () => {
    const isNumber =
      is !== "matches" &&
      ["integer", "decimal"].includes(offered.find((one) => one.path === path)?.type ?? "") &&
      /^-?\d+(\.\d+)?$/.test(value);
    onPlan(
      withCondition(plan, {
        from: sourceOf(path),
        is: is as NonNullable<Condition["is"]>,
        ...(isAlone
          ? {}
          : {
              value: isNumber
                ? (JSON.parse(value) as number)
                : value === "true" || value === "false"
                  ? value === "true"
                  : value,
            }),
      }),
    );
    setPath("");
    setValue("");
  };
  return (
    <details className="mb-2 text-xs" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="cursor-pointer opacity-80">Only some of the rows</summary>
      {isOpen && (
        <form
          className="mt-1 flex flex-wrap items-center gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            add();
          }}
        >
          where
          <select
            className="select select-xs w-auto max-w-44 font-mono"
            aria-label="Value of the row"
            value={path}
            onChange={(e) => setPath(e.target.value)}
          >
            <option value="">choose</option>
            {offered.map((one) => (
              <option key={one.path} value={one.path}>
                {stepsText(one.path) || "the value"}
              </option>
            ))}
          </select>
          <select
            className="select select-xs w-28"
            aria-label="How it is compared"
            value={is}
            onChange={(e) => setIs(e.target.value)}
          >
            {COMPARISONS.map(([one, words]) => (
              <option key={one} value={one}>
                {words}
              </option>
            ))}
          </select>
          {!isAlone && (
            <input
              className="input input-xs w-28 font-mono"
              aria-label="What it is compared with"
              value={value}
              onChange={(e) => setValue(e.target.value)}
            />
          )}
          <button className="btn btn-xs" disabled={!path || (!isAlone && value === "")}>
            Leave the others out
          </button>
        </form>
      )}
    </details>
  );
}
