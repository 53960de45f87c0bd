import { KeyRound, Replace, Trash2 } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useName } from "../../ui/naming";
import { Empty, Field, Heading, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { addPart, conditionsOf, confirm, dropCondition, isOrOne, setOrOne, useChangedUnits, withCondition, dropPart, FIELD_TYPES, leave, namedFor, openFields, rename, renameType, rulesOf, setField, setRule, toggleKey, useReach, useRecordTypes, type Condition, type FieldType, type Plan, type RecordTypeDocument } from "./bench";
import { Convert, stepWords } from "./Convert";
import { fromRow, pathOf, sourceOf, sourceText, stepsText } from "./paths";

interface Props {
  trial: Schemas["TrialShown"] | null;
  rowChoices: Schemas["RowChoiceLine"][];
  lines: Schemas["OutlineLine"][];
  plan: Plan | null;
  preview: Schemas["PreviewShown"] | undefined;
  previewError: unknown;
  proposeError: unknown;
  isProposing: boolean;
  lit: string | null;
  environment: string;
  operation: string;
  project: string;
  service: string;
  isSaved: boolean;
  isSaving: boolean;
  saveError: unknown;
  savedAs: string | null;
  isRunning: boolean;
  supportsCopy: boolean;
  runError: unknown;
  mayBuild: boolean;
  onPlan: (plan: Plan) => void;
  onRows: (path: string) => void;
  /** Proposes what fills a record type that is there; empty: one of its own. */
  onOnto: (recordType: string) => void;
  /** The field that the next value taken is for. */
  aim: string | null;
  onAim: (field: string | null) => void;
  onPoint: (pointer: string | null) => void;
  onFocus: (pointer: string) => void;
  onSave: () => void;
  onRun: (feed: string) => void;
}

/** Right: the records the response becomes, and how each value is made. */
export function RecordsPane(props: Props) {
  const { trial, plan, preview } = props;
  const [form, setForm] = useState<"list" | "text">("list");
  if (trial?.outcome?.kind === "nothing_found") {
    return (
      <div className="p-3">
        <Heading>Records</Heading>
        <Empty title="Nothing was found">The service says that there is nothing for these inputs: no records, and no failure.</Empty>
      </div>
    );
  }
  if (!trial?.body || trial.unreadable || !trial.outcome?.is_good) {
    return (
      <div className="p-3">
        <Heading>Records</Heading>
        <Empty title="No records yet">When a good response is there, point at what becomes one row.</Empty>
      </div>
    );
  }
  const output = preview?.outputs[0];
  return (
    <div className="min-w-0 p-3 lg:overflow-auto">
      <Heading
        aside={
          output && (
            <span className="text-xs" aria-live="polite">
              {output.record_type} · {output.records} of {output.rows} rows{output.rejected > 0 && <span className="text-accent">, {output.rejected} rejected</span>}{output.filtered > 0 && `, ${output.filtered} left out`}
            </span>
          )
        }
      >
        Records
      </Heading>
      <Field label="One row is each of">
        {(id) => (
          <select id={id} className="select select-sm w-full font-mono" value={plan?.rows.join(" ") ?? ""} onChange={(e) => props.onRows(e.target.value)}>
            {!plan && <option value="">choose</option>}
            {plan && !props.rowChoices.some((one) => one.path === plan.rows.join(" ")) && <option>{plan.rows.join(" ")}</option>}
            {props.rowChoices.map((one) => <option key={one.path} value={one.path}>{one.path} · {one.count} {one.holds === "object" ? "objects" : "values"}</option>)}
          </select>
        )}
      </Field>
      {plan && props.mayBuild && plan.mapping.format !== "xml" && plan.rows[plan.rows.length - 1]?.endsWith("[*]") && (
        <label className="-mt-1 mb-2 flex items-center gap-2 text-xs">
          <input type="checkbox" className="checkbox checkbox-xs" checked={isOrOne(plan)} onChange={(e) => props.onPlan(setOrOne(plan, e.target.checked))} />
          one object in place of the list is a row too
        </label>
      )}
      {plan && props.mayBuild && <Into {...props} plan={plan} />}
      <ProblemAlert error={props.proposeError} />
      {props.isProposing && <Waiting what="Proposing" />}
      {plan && (
        <>
          <ProblemAlert error={props.previewError} />
          {conditionsOf(plan).map((one, number) => (
            <p key={number} className="mb-2 flex flex-wrap items-center gap-2 text-xs">
              <span>Only rows where <span className="font-mono">{sourceText(one.from, plan.mapping.format)}</span> {COMPARISONS.find(([name]) => name === (one.is ?? "equal"))?.[1] ?? `is ${one.is!.replace("_", " ")}`} <span className="font-mono">{"value" in one ? JSON.stringify(one.value) : ""}</span></span>
              {props.mayBuild && <button type="button" className="link" onClick={() => props.onPlan(dropCondition(plan, number))}>all rows again</button>}
            </p>
          ))}
          {props.mayBuild && <OnlySome {...props} plan={plan} />}
          {output && !props.previewError && <RecordTable rows={output.rows} shown={output.shown} recordType={plan.recordType} lit={props.lit} onPoint={props.onPoint} onFocus={props.onFocus} />}
          <Heading
            aside={
              <span role="group" aria-label="Show the mapping" className="flex gap-3 text-xs">
                {(["list", "text"] as const).map((one) => <button key={one} type="button" aria-pressed={form === one} className={form === one ? "font-medium" : "link opacity-80"} onClick={() => setForm(one)}>as a {one}</button>)}
              </span>
            }
          >
            How each value is made
          </Heading>
          {form === "text" ? <MappingText key={plan.mappingName} plan={plan} readOnly={!props.mayBuild} onPlan={props.onPlan} /> : <Rules {...props} plan={plan} firstRow={output?.shown[0]} />}
          {output && !props.previewError && <Covered coverage={output.coverage} />}
          <Linked {...props} plan={plan} outputs={props.previewError ? [] : (preview?.outputs.slice(1) ?? [])} />
          {plan.notes.map((one) => <p key={one} className="mt-2 border-l-4 border-accent/60 pl-2 text-xs">{one}</p>)}
          {props.mayBuild && <Keep {...props} plan={plan} />}
        </>
      )}
    </div>
  );
}

/** What the rows become: records of a type of their own, or of one that is there already. */
function Into({ project, plan, onOnto }: Props & { plan: Plan }) {
  const types = useRecordTypes(project).data ?? [];
  const [chosen, setChosen] = useState("");
  if (types.length === 0) return null;
  return (
    <p className="mb-3 flex flex-wrap items-center gap-2 text-xs">
      <label htmlFor="become">They become</label>
      <select id="become" className="select select-xs w-auto max-w-full" value={chosen === plan.typeName && types.some((one) => one.name === chosen) ? chosen : ""} onChange={(e) => { setChosen(e.target.value); onOnto(e.target.value); }}>
        <option value="">records of the type below</option>
        {types.map((one) => <option key={one.name} value={one.name}>{one.title || one.name}, which is there already</option>)}
      </select>
    </p>
  );
}

/** Fields of the record type that nothing fills: one is chosen, then a value of the response clicked. */
function OpenFields({ plan, aim, onAim }: Props & { plan: Plan }) {
  return (
    <ul className="text-xs" aria-label="Fields that nothing fills">
      {openFields(plan).map((one) => (
        <li key={one.name} className="flex flex-wrap items-center gap-2 px-1 py-0.5">
          <span className="ml-7 w-28 pl-2 font-mono font-medium opacity-70">{one.name}</span>
          <button type="button" className={`btn btn-xs font-normal ${aim === one.name ? "btn-primary" : "border-dashed"}`} aria-pressed={aim === one.name} onClick={() => onAim(aim === one.name ? null : one.name)}>{aim === one.name ? "now click its value in the response" : "nothing fills it yet"}</button>
          <span className="opacity-70">{one.type} {one.unit}</span>
        </li>
      ))}
    </ul>
  );
}

const COMPARISONS: [string, string][] = [["equal", "is"], ["not_equal", "is not"], ["less", "is less than"], ["at_most", "is at most"], ["more", "is more than"], ["at_least", "is at least"], ["matches", "matches"], ["present", "is there"], ["absent", "is not there"]];

/** A condition that rows must pass, put together from a value of the row and a comparison. */
function OnlySome({ plan, lines, onPlan }: Props & { plan: Plan }) {
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
    const isNumber = is !== "matches" && ["integer", "decimal"].includes(offered.find((one) => one.path === path)?.type ?? "") && /^-?\d+(\.\d+)?$/.test(value);
    onPlan(withCondition(plan, { from: sourceOf(path) as Condition["from"], is: is as NonNullable<Condition["is"]>, ...(isAlone ? {} : { value: isNumber ? (JSON.parse(value) as number) : value === "true" || value === "false" ? value === "true" : value }) }));
    setPath("");
    setValue("");
  };
  return (
    <details className="mb-2 text-xs" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="cursor-pointer opacity-80">Only some of the rows</summary>
      {isOpen && <form className="mt-1 flex flex-wrap items-center gap-1" onSubmit={(event) => { event.preventDefault(); add(); }}>
        where
        <select className="select select-xs w-auto max-w-44 font-mono" aria-label="Value of the row" value={path} onChange={(e) => setPath(e.target.value)}>
          <option value="">choose</option>
          {offered.map((one) => <option key={one.path} value={one.path}>{stepsText(one.path) || "the value"}</option>)}
        </select>
        <select className="select select-xs w-28" aria-label="How it is compared" value={is} onChange={(e) => setIs(e.target.value)}>
          {COMPARISONS.map(([one, words]) => <option key={one} value={one}>{words}</option>)}
        </select>
        {!isAlone && <input className="input input-xs w-28 font-mono" aria-label="What it is compared with" value={value} onChange={(e) => setValue(e.target.value)} />}
        <button className="btn btn-xs" disabled={!path || (!isAlone && value === "")}>Leave the others out</button>
      </form>}
    </details>
  );
}

interface TableProps {
  rows: number;
  shown: Schemas["MappedRow"][];
  recordType: RecordTypeDocument;
  lit: string | null;
  onPoint: (pointer: string | null) => void;
  onFocus: (pointer: string) => void;
  /** What stands before each row. */
  lead?: (row: Schemas["MappedRow"]) => React.ReactNode;
}

/** Rows as records, each cell lit with its place in the response; what was rejected with its reasons. */
export function RecordTable({ rows, shown, recordType, lit, onPoint, onFocus, lead }: TableProps) {
  const fields = recordType.fields ?? [];
  if (rows === 0) return <p className="mb-3 text-sm opacity-80">The list is empty: no rows, and that is no error.</p>;
  return (
    <div className="mb-4 max-h-[40vh] overflow-auto" onMouseLeave={() => onPoint(null)}>
      <table className="w-full text-xs">
        <thead className="sticky top-0 z-20 bg-base-100">
          <tr className="text-left font-mono text-secondary">
            {lead && <th className="sticky left-0 z-30 bg-base-100 pr-3 pb-1 font-sans font-medium">record</th>}
            {fields.map((one) => (
              <th key={one.name} className="pr-3 pb-1 font-medium whitespace-nowrap">
                {one.name}{one.unit && <span className="opacity-70"> {one.unit}</span>}{recordType.key?.includes(one.name) && <span className="text-accent"> key</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="font-mono">
          {shown.slice(0, 100).map((row) => {
            const places = new Map(row.fields.map((one) => [one.field, one]));
            return row.data === null ? (
              <tr key={row.ordinal} className="border-t border-base-300 text-accent">
                {lead && <td className="sticky left-0 z-10 bg-base-100 pr-3 whitespace-nowrap">{lead(row)}</td>}
                <td colSpan={fields.length} className="py-1">
                  <button type="button" className="cursor-pointer text-left hover:underline" onClick={() => onFocus(row.pointer)}>{row.path}</button>: {row.problems.map((one) => `${one.field} ${one.reason}`).join("; ")}
                </td>
              </tr>
            ) : (
              <tr key={row.ordinal} className="border-t border-base-300">
                {lead && <td className="sticky left-0 z-10 bg-base-100 pr-3 whitespace-nowrap">{lead(row)}</td>}
                {fields.map((one) => {
                  const pointer = places.get(one.name)?.pointer ?? null;
                  const isLit = pointer !== null && pointer === lit;
                  return (
                    <td key={one.name} className={`max-w-44 truncate py-1 pr-3 whitespace-nowrap ${isLit ? "bg-accent/20 outline outline-accent" : ""}`} onMouseEnter={() => onPoint(pointer)} onClick={() => pointer && onFocus(pointer)}>
                      <Shown value={row.data?.[one.name]} isThere={one.name in (row.data ?? {})} />
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
      {rows > shown.length && <p className="pt-1 text-xs opacity-75">The first {shown.length} rows; the counts are of all {rows}.</p>}
    </div>
  );
}

export function Shown({ value, isThere }: { value: unknown; isThere: boolean }) {
  if (!isThere) return <span className="opacity-50" title="missing">·</span>;
  if (value === null) return <span className="opacity-60" title="null">–</span>;
  if (typeof value === "boolean") return <>{value ? "yes" : "no"}</>;
  if (Array.isArray(value)) return value.length ? <>{value.map((one) => (typeof one === "object" ? JSON.stringify(one) : String(one))).join(", ")}</> : <span className="opacity-60">none</span>;
  return <>{typeof value === "object" ? JSON.stringify(value) : String(value)}</>;
}

function Rules(props: Props & { plan: Plan; firstRow: Schemas["MappedRow"] | undefined }) {
  const { plan, onPlan, lit, lines, firstRow, onPoint, mayBuild, project } = props;
  const types = new Map((plan.recordType.fields ?? []).map((one) => [one.name, one]));
  const [opened, setOpened] = useState<string | null>(null);
  const lastStep = (pointer: string | null | undefined) => pointer?.replace(/\/\d+(?=\/|$)/g, "/*");
  return (
    <section className="mt-2">
      {!plan.recordType.key?.length && <p className="mb-2 text-xs text-warning">Choose the key: the fields that tell one record from all others.</p>}
      <ul className="text-xs" onMouseLeave={() => onPoint(null)}>
        {rulesOf(plan).map((rule) => {
          const field = types.get(rule.name);
          const pointer = firstRow?.fields.find((one) => one.field === rule.name)?.pointer ?? null;
          const isLit = lit !== null && pointer !== null && lastStep(lit) === lastStep(pointer);
          const isKey = plan.recordType.key?.includes(rule.name) ?? false;
          const steps = rule.convert ?? [];
          const line = lineOf(lines, plan, rule.from);
          return (
            <li key={rule.name} className={`flex flex-wrap items-center gap-1 rounded-selector px-1 py-0.5 ${isLit && opened !== rule.name ? "bg-accent/20 outline outline-accent" : ""}`} onMouseEnter={() => onPoint(pointer)}>
              <button type="button" className={`btn btn-ghost btn-xs px-1 ${isKey ? "text-accent" : "opacity-40"}`} aria-pressed={isKey} aria-label={`${rule.name} is part of the key`} disabled={!mayBuild} onClick={() => onPlan(toggleKey(plan, rule.name))}>
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
                  if (name && name !== rule.name && !rulesOf(plan).some((one) => one.name === name) && /^[a-z][a-z0-9_-]*$/.test(name)) onPlan(rename(plan, rule.name, name));
                  else e.target.value = rule.name;
                }}
              />
              <span className="min-w-0 flex-1 truncate font-mono opacity-80">
                {sourceText(rule.from, plan.mapping.format)}
                {rule.unit != null && <span className="ml-2 opacity-80" title="its unit stands there; a value in another unit does not fit"><span className="font-sans">unit:</span> {sourceText(rule.unit, plan.mapping.format).split(" › ").pop()}</span>}
              </span>
              {plan.proposed[rule.name] && (
                <button type="button" className="btn btn-xs border-dashed px-1 font-normal" title="proposed; click if it is right" aria-label={`${rule.name} was proposed by its ${plan.proposed[rule.name]}: confirm`} onClick={() => onPlan(confirm(plan, rule.name))}>{plan.proposed[rule.name]}?</button>
              )}
              <select className="select select-ghost select-xs w-22" aria-label={`type of ${rule.name}`} value={field?.type ?? "text"} disabled={!mayBuild} onChange={(e) => onPlan(setField(plan, rule.name, { type: e.target.value as FieldType }))}>
                {FIELD_TYPES.map((one) => <option key={one}>{one}</option>)}
              </select>
              <input className="input input-ghost input-xs w-12" aria-label={`unit of ${rule.name}`} placeholder="unit" value={field?.unit ?? ""} readOnly={!mayBuild} onChange={(e) => onPlan(setField(plan, rule.name, { unit: e.target.value }))} />
              <button type="button" className={`btn btn-ghost btn-xs px-1 ${steps.length ? "text-accent" : "opacity-60"}`} aria-expanded={opened === rule.name} aria-label={`how ${rule.name} is converted`} title={steps.map(stepWords).join(", then ") || "convert it"} onClick={() => setOpened(opened === rule.name ? null : rule.name)}>
                <Replace className="size-3.5" aria-hidden />
              </button>
              <button type="button" className="btn btn-ghost btn-xs px-1" aria-label={`leave out ${rule.name}`} disabled={!mayBuild} onClick={() => onPlan(leave(plan, rule.name))}>
                <Trash2 className="size-3.5" aria-hidden />
              </button>
              {opened === rule.name && (
                <Convert
                  project={project} name={rule.name} steps={steps} kinds={line?.types.filter((one) => one !== "null") ?? []} before={line?.examples[0]} readOnly={!mayBuild} onFailure={rule.on_failure ?? "reject"}
                  after={firstRow?.data ? <Shown value={firstRow.data[rule.name]} isThere={rule.name in firstRow.data} /> : firstRow?.problems.find((one) => one.field === rule.name)?.reason}
                  onSteps={(convert) => onPlan(setRule(plan, rule.name, { convert }))} onOnFailure={(on_failure) => onPlan(setRule(plan, rule.name, { on_failure }))}
                />
              )}
            </li>
          );
        })}
      </ul>
      {mayBuild && <OpenFields {...props} plan={plan} />}
      {rulesOf(plan).length === 0 && <p className="text-sm opacity-80">Click values in the response to take them.</p>}
    </section>
  );
}

/** The mapping document itself. What is changed here shows in the list and the records, and the other way round; a text that is no mapping stays until it is one. */
function MappingText({ plan, readOnly, onPlan }: { plan: Plan; readOnly: boolean; onPlan: (plan: Plan) => void }) {
  const written = JSON.stringify(plan.mapping, null, 2);
  const [text, setText] = useState(written);
  const [seen, setSeen] = useState(written);
  const [problem, setProblem] = useState("");
  if (seen !== written) {
    setSeen(written);
    setText(written);
    setProblem("");
  }
  const change = (next: string) => {
    setText(next);
    try {
      const mapping = JSON.parse(next) as Plan["mapping"];
      const first = mapping.outputs?.[0]?.record_type;
      if (!Array.isArray(mapping.outputs) || !first) throw new Error("outputs names no record type");
      setProblem("");
      setSeen(JSON.stringify(mapping, null, 2));
      onPlan({ ...plan, mapping, typeName: first });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <div className="mt-1">
      <textarea className="textarea h-72 w-full font-mono text-xs" spellCheck={false} aria-label="The mapping as text" aria-invalid={problem !== ""} readOnly={readOnly} value={text} onChange={(e) => change(e.target.value)} />
      {problem && <p role="status" className="border-l-4 border-warning pl-2 text-xs">Not a mapping yet: {problem}. The records are those of the last one.</p>}
    </div>
  );
}

/** The lists in each row: as records of their own that belong to the row's, or how to make them that. */
function Linked({ plan, outputs, lit, onPoint, onFocus, onPlan, mayBuild }: Props & { plan: Plan; outputs: Schemas["PreviewOutput"][] }) {
  const open = plan.parts.filter((one) => !(namedFor(one, plan.typeName).name in plan.linked));
  return (
    <>
      {outputs.filter((one) => one.record_type in plan.linked).map((one) => (
        <section key={one.record_type} className="mt-4" aria-label={one.record_type}>
          <Heading
            aside={
              <span className="flex items-center gap-2 text-xs">
                {one.records} of {one.rows} rows{one.rejected > 0 && <span className="text-accent">, {one.rejected} rejected</span>}
                {mayBuild && <button type="button" className="btn btn-ghost btn-xs px-1" aria-label={`leave out ${one.record_type}`} onClick={() => onPlan(dropPart(plan, one.record_type))}><Trash2 className="size-3.5" aria-hidden /></button>}
              </span>
            }
          >
            {one.record_type}, each of a {plan.typeName}
          </Heading>
          <RecordTable rows={one.rows} shown={one.shown} recordType={plan.linked[one.record_type] ?? {}} lit={lit} onPoint={onPoint} onFocus={onFocus} />
        </section>
      ))}
      {mayBuild && open.map((one) => (
        <p key={one.name} className="mt-2 flex flex-wrap items-center gap-2 text-xs">
          <span>Each row holds a list, <span className="font-mono">{stepsText(one.path.replace("[*]", ""))}</span>.</span>
          <button type="button" className="btn btn-xs" onClick={() => onPlan(addPart(plan, one))}>Make it records that belong to their {plan.typeName}</button>
        </p>
      ))}
    </>
  );
}

/** What the mapping leaves aside, and what it may lose, before anything runs. */
function Covered({ coverage }: { coverage: Schemas["CoverageShown"] }) {
  return (
    <div className="mt-2 text-xs">
      {coverage.losses.map((one) => <p key={one.field} className="mb-1 border-l-4 border-warning bg-warning/10 py-0.5 pl-2"><span className="font-mono font-medium">{one.field}</span>: {one.words}</p>)}
      {coverage.unused.length > 0 && (
        <details className="pl-2 opacity-80">
          <summary className="cursor-pointer">{coverage.unused.length === 1 ? "One value of the row is" : `${coverage.unused.length} values of the row are`} not taken</summary>
          <p className="font-mono">{coverage.unused.map(stepsText).join(", ")}</p>
        </details>
      )}
    </div>
  );
}

/** What the samples say of the place that a rule takes its value from. */
function lineOf(lines: Schemas["OutlineLine"][], plan: Plan, source: unknown): Schemas["OutlineLine"] | undefined {
  const path = pathOf(source, plan.mapping.format);
  return path === null ? undefined : lines.find((one) => fromRow(one.path, plan.rows) === path);
}

function Keep({ plan, onPlan, onSave, isSaving, saveError, savedAs, operation, isSaved, environment, onRun, isRunning, runError, supportsCopy, project, service }: Props & { plan: Plan }) {
  const [feed, setFeed] = useState("");
  const named = useName(project, "feed", plan.mappingName, service);
  const feedName = feed || named.name;
  const isReady = isSaved && savedAs === plan.mappingName;
  const reach = useReach(project, plan);
  const units = useChangedUnits(project, plan);
  return (
    <section className="mt-5 border-t border-base-300 pt-3">
      <Heading>Keep them</Heading>
      <div className="grid grid-cols-2 gap-x-3">
        <Field label="Record type">{(id) => <input id={id} className="input input-sm w-full font-mono" value={plan.typeName} onChange={(e) => onPlan(renameType(plan, e.target.value))} />}</Field>
        <Field label="Mapping">{(id) => <input id={id} className="input input-sm w-full font-mono" value={plan.mappingName} onChange={(e) => onPlan({ ...plan, mappingName: e.target.value })} />}</Field>
      </div>
      <ProblemAlert error={saveError} />
      {!savedAs && units.map((one) => <p key={one.name} className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs"><span className="font-mono">{one.name}</span> was in {one.from} and is in {one.to} now: records that are kept stay as they are until they come again.</p>)}
      {!savedAs && reach.map((one) => <p key={one.what} className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">Saving changes the {one.what}, which {one.users.map((user) => `${user.kind} ${user.name}`).join(", ")} {one.users.length === 1 ? "uses" : "use"} too.</p>)}
      <button type="button" className="btn btn-sm" disabled={isSaving || !plan.recordType.key?.length} onClick={onSave}>
        {isSaving ? "Saving" : savedAs ? "Save both again" : "Save record type and mapping"}
      </button>
      {savedAs && <span className="ml-2 text-xs text-success">saved</span>}
      <div className="mt-3 flex items-end gap-2">
        <div className="flex-1">
          <Field label="Feed" aside={`in ${environment}`} problem={supportsCopy ? undefined : `the connection in ${environment} is not for keeping copies; its page says what it is for`} hint={!isSaved ? "save the operation first" : !isReady ? "save record type and mapping first" : `asks ${operation} for all pages and keeps the records`}>
            {(id) => <input id={id} className="input input-sm w-full font-mono" placeholder={feedName} value={feed} onChange={(e) => setFeed(e.target.value)} />}
          </Field>
        </div>
        <button type="button" className="btn btn-primary btn-sm mb-8" disabled={!isReady || isRunning || !supportsCopy || !feedName} onClick={() => onRun(feedName)}>{isRunning ? "Starting" : "Make the feed and run it"}</button>
      </div>
      <ProblemAlert error={runError} />
    </section>
  );
}
