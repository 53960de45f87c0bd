import { KeyRound, Replace, Trash2 } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { confirm, leave, openFields, rename, rulesOf, setField, setRule, toggleKey, type Plan } from "./plan";
import { TypeSelect } from "./TypeSelect";
import { Convert, stepWords } from "./Convert";
import { fromRow, isCounterpart, pathOf, sourceText } from "./paths";
import { useBench, usePlan, usePointing } from "./context";
import { Shown } from "./RecordTable";

/** How each field gets its value, a line each. */
export function Rules({ firstRow }: { firstRow: Schemas["MappedRow"] | undefined }) {
  const { project, lines, mayBuild } = useBench();
  const { plan, setPlan } = usePlan();
  const { lit, point } = usePointing();
  const types = new Map((plan.recordType.fields ?? []).map((one) => [one.name, one]));
  const [opened, setOpened] = useState<string | null>(null);
  return (
    <section className="mt-2">
      {!plan.recordType.key?.length && (
        <p className="mb-2 text-xs text-warning">Choose the key: the fields that tell one record from all others.</p>
      )}
      <ul className="text-xs" onMouseLeave={() => point(null)}>
        {rulesOf(plan).map((rule) => {
          const field = types.get(rule.name);
          const pointer = firstRow?.fields.find((one) => one.field === rule.name)?.pointer ?? null;
          const isLit = isCounterpart(lit, pointer);
          const isKey = plan.recordType.key?.includes(rule.name) ?? false;
          const steps = rule.convert ?? [];
          const line = lineOf(lines, plan, rule.from);
          return (
            <li
              key={rule.name}
              className={`flex flex-wrap items-center gap-1 rounded-selector px-1 py-0.5 ${isLit && opened !== rule.name ? "bg-accent/20 outline outline-accent" : ""}`}
              onMouseEnter={() => point(pointer)}
            >
              <button
                type="button"
                className={`btn btn-ghost btn-xs px-1 ${isKey ? "text-accent" : "opacity-40"}`}
                aria-pressed={isKey}
                aria-label={`${rule.name} is part of the key`}
                disabled={!mayBuild}
                onClick={() => setPlan(toggleKey(plan, rule.name))}
              >
                <KeyRound className="size-3.5" aria-hidden />
              </button>
              <input
                key={rule.name}
                className="input input-ghost input-xs w-28 font-mono font-medium hover:border-base-300"
                aria-label={`name of the field ${rule.name}`}
                defaultValue={rule.name}
                readOnly={!mayBuild}
                onBlur={(e) => {
                  const name = e.target.value.trim();
                  if (
                    name &&
                    name !== rule.name &&
                    !rulesOf(plan).some((one) => one.name === name) &&
                    /^[a-z][a-z0-9_-]*$/.test(name)
                  )
                    setPlan(rename(plan, rule.name, name));
                  else e.target.value = rule.name;
                }}
              />
              <span className="min-w-20 flex-1 truncate font-mono opacity-80">
                {sourceText(rule.from, plan.mapping.format)}
                {rule.unit != null && (
                  <span className="ml-2 opacity-80" title="its unit stands there; a value in another unit does not fit">
                    <span className="font-sans">unit:</span>{" "}
                    {sourceText(rule.unit, plan.mapping.format).split(" › ").pop()}
                  </span>
                )}
              </span>
              {plan.proposed[rule.name] && (
                <button
                  type="button"
                  className="btn btn-xs border-dashed px-1 font-normal"
                  title="proposed; click if it is right"
                  aria-label={`${rule.name} was proposed by its ${plan.proposed[rule.name]}: confirm`}
                  onClick={() => setPlan(confirm(plan, rule.name))}
                >
                  {plan.proposed[rule.name]}?
                </button>
              )}
              <TypeSelect
                className="select-ghost w-22"
                label={`type of ${rule.name}`}
                value={field?.type ?? "text"}
                disabled={!mayBuild}
                onType={(type) => setPlan(setField(plan, rule.name, { type }))}
              />
              <input
                className="input input-ghost input-xs w-12"
                aria-label={`unit of ${rule.name}`}
                placeholder="unit"
                value={field?.unit ?? ""}
                readOnly={!mayBuild}
                onChange={(e) => setPlan(setField(plan, rule.name, { unit: e.target.value }))}
              />
              <button
                type="button"
                className={`btn btn-ghost btn-xs px-1 ${steps.length ? "text-accent" : "opacity-60"}`}
                aria-expanded={opened === rule.name}
                aria-label={`how ${rule.name} is converted`}
                title={steps.map(stepWords).join(", then ") || "convert it"}
                onClick={() => setOpened(opened === rule.name ? null : rule.name)}
              >
                <Replace className="size-3.5" aria-hidden />
              </button>
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1"
                aria-label={`leave out ${rule.name}`}
                disabled={!mayBuild}
                onClick={() => setPlan(leave(plan, rule.name))}
              >
                <Trash2 className="size-3.5" aria-hidden />
              </button>
              {opened === rule.name && (
                <Convert
                  project={project}
                  rule={rule}
                  line={line}
                  readOnly={!mayBuild}
                  after={
                    firstRow?.data ? (
                      <Shown value={firstRow.data[rule.name]} isThere={rule.name in firstRow.data} />
                    ) : (
                      firstRow?.problems.find((one) => one.field === rule.name)?.reason
                    )
                  }
                  onRule={(change) => setPlan(setRule(plan, rule.name, change))}
                />
              )}
            </li>
          );
        })}
      </ul>
      {mayBuild && <OpenFields />}
      {rulesOf(plan).length === 0 && <p className="text-sm opacity-80">Click values in the response to take them.</p>}
    </section>
  );
}

/** Fields of the record type that nothing fills: one is chosen, then a value of the response clicked. */
function OpenFields() {
  const { draft, change } = useBench();
  const { plan } = usePlan();
  const { aim } = draft;
  return (
    <ul className="text-xs" aria-label="Fields that nothing fills">
      {openFields(plan).map((one) => (
        <li key={one.name} className="flex flex-wrap items-center gap-2 px-1 py-0.5">
          <span className="ml-7 w-28 pl-2 font-mono font-medium opacity-70">{one.name}</span>
          <button
            type="button"
            className={`btn btn-xs font-normal ${aim === one.name ? "btn-primary" : "border-dashed"}`}
            aria-pressed={aim === one.name}
            onClick={() => change({ type: "set", to: { aim: aim === one.name ? null : one.name } })}
          >
            {aim === one.name ? "now click its value in the response" : "nothing fills it yet"}
          </button>
          <span className="opacity-70">
            {one.type} {one.unit}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** What the samples say of the place that a rule takes its value from. */
function lineOf(lines: Schemas["OutlineItem"][], plan: Plan, source: unknown): Schemas["OutlineItem"] | undefined {
  const path = pathOf(source, plan.mapping.format);
  return path === null ? undefined : lines.find((one) => fromRow(one.path, plan.rows) === path);
}
