import { useState } from "react";
import { conditionsOf, dropCondition, withCondition, type Condition } from "./plan";
import { fromRow, sourceOf, sourceText, stepsText } from "./paths";
import { comparedWith, comparisonOf, useMappingForms } from "./forms";
import { useBench, usePlan } from "./context";

/** The conditions that rows must pass, in words; each can be dropped. */
export function Conditions() {
  const { project, mayBuild } = useBench();
  const { plan, setPlan } = usePlan();
  const { comparisons } = useMappingForms(project);
  return conditionsOf(plan).map((one, number) => (
    <p key={number} className="mb-2 flex flex-wrap items-center gap-2 text-xs">
      <span>
        Only rows where <span className="font-mono">{sourceText(one.from, plan.mapping.format)}</span>{" "}
        {comparisonOf(comparisons, one.is).words}{" "}
        <span className="font-mono">{"value" in one ? JSON.stringify(one.value) : ""}</span>
      </span>
      {mayBuild && (
        <button type="button" className="link" onClick={() => setPlan(dropCondition(plan, number))}>
          all rows again
        </button>
      )}
    </p>
  ));
}

/** A condition that rows must pass, put together from a value of the row and a comparison. */
export function OnlySome() {
  const { project, lines } = useBench();
  const { plan, setPlan } = usePlan();
  const { comparisons } = useMappingForms(project);
  const [isOpen, setOpen] = useState(false);
  const [path, setPath] = useState("");
  const [is, setIs] = useState("equal");
  const [value, setValue] = useState("");
  const offered = lines.flatMap((one) => {
    const inRow = one.type ? fromRow(one.path, plan.rows) : null;
    return inRow === null ? [] : [{ path: inRow, type: one.type }];
  });
  const comparison = comparisonOf(comparisons, is);
  const isAlone = comparison.takes === "nothing";
  const add = () => {
    const isNumber = ["integer", "decimal"].includes(offered.find((one) => one.path === path)?.type ?? "");
    setPlan(
      withCondition(plan, {
        from: sourceOf(path),
        is: is as NonNullable<Condition["is"]>,
        ...(isAlone ? {} : { value: comparedWith(comparison, value, isNumber) }),
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
            {comparisons.map((one) => (
              <option key={one.name} value={one.name}>
                {one.words}
              </option>
            ))}
          </select>
          {!isAlone && (
            <input
              className="input input-xs w-28 font-mono"
              aria-label="What it is compared with"
              placeholder={comparison.takes === "list" ? "oak, lime" : ""}
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
