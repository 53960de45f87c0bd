import { lazy, Suspense, useState } from "react";
import type { Schemas } from "../../api/client";
import { Empty, Field, Heading, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useRecordTypes } from "./bench";
import { isOrOne, setOrOne, type Plan } from "./plan";
import { Conditions, OnlySome } from "./Conditions";
import { Keep } from "./Keep";
import { Linked } from "./Linked";
import { stepsText } from "./paths";
import { RecordTable } from "./RecordTable";
import { Rules } from "./Rules";

const MappingText = lazy(() => import("./MappingText"));

export interface RecordsProps {
  trial: Schemas["TrialShown"] | null;
  rowChoices: Schemas["RowChoiceItem"][];
  lines: Schemas["OutlineItem"][];
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

const BEFORE = <p className="mt-1 text-xs">The records are those before this change.</p>;

/** Right: the records the response becomes, and how each value is made. */
export function RecordsPane(props: RecordsProps) {
  const { trial, plan, preview } = props;
  const [form, setForm] = useState<"list" | "text">("list");
  if (trial?.outcome?.kind === "nothing_found") {
    return (
      <div className="p-3">
        <Heading>Records</Heading>
        <Empty title="Nothing was found">
          The service says that there is nothing for these inputs: no records, and no failure.
        </Empty>
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
              {output.record_type} · {output.records} of {output.rows} rows
              {output.rejected > 0 && <span className="text-accent">, {output.rejected} rejected</span>}
              {output.filtered > 0 && `, ${output.filtered} left out`}
            </span>
          )
        }
      >
        Records
      </Heading>
      <Field label="One row is each of">
        {(id) => (
          <select
            id={id}
            className="select select-sm w-full font-mono"
            value={plan?.rows.join(" ") ?? ""}
            onChange={(e) => props.onRows(e.target.value)}
          >
            {!plan && <option value="">choose</option>}
            {plan && !props.rowChoices.some((one) => one.path === plan.rows.join(" ")) && (
              <option>{plan.rows.join(" ")}</option>
            )}
            {props.rowChoices.map((one) => (
              <option key={one.path} value={one.path}>
                {one.path} · {one.count} {one.holds === "object" ? "objects" : "values"}
              </option>
            ))}
          </select>
        )}
      </Field>
      {plan && props.mayBuild && plan.mapping.format !== "xml" && plan.rows[plan.rows.length - 1]?.endsWith("[*]") && (
        <label className="-mt-1 mb-2 flex items-center gap-2 text-xs">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={isOrOne(plan)}
            onChange={(e) => props.onPlan(setOrOne(plan, e.target.checked))}
          />
          one object in place of the list is a row too
        </label>
      )}
      {plan && props.mayBuild && <Into {...props} plan={plan} />}
      <ProblemAlert error={props.proposeError} />
      {props.isProposing && <Waiting what="Proposing" />}
      {plan && (
        <>
          <Conditions {...props} plan={plan} />
          {props.mayBuild && <OnlySome {...props} plan={plan} />}
          {output && (
            <div className={props.previewError ? "opacity-50" : ""}>
              <RecordTable
                rows={output.rows}
                shown={output.shown}
                recordType={plan.recordType}
                lit={props.lit}
                onPoint={props.onPoint}
                onFocus={props.onFocus}
              />
            </div>
          )}
          {form === "list" && <ProblemAlert error={props.previewError}>{output && BEFORE}</ProblemAlert>}
          <Heading
            aside={
              <span role="group" aria-label="Show the mapping" className="flex gap-3 text-xs">
                {(["list", "text"] as const).map((one) => (
                  <button
                    key={one}
                    type="button"
                    aria-pressed={form === one}
                    className={form === one ? "font-medium" : "link opacity-80"}
                    onClick={() => setForm(one)}
                  >
                    as a {one}
                  </button>
                ))}
              </span>
            }
          >
            How each value is made
          </Heading>
          {form === "text" ? (
            <Suspense fallback={<Waiting what="Opening the editor" />}>
              <MappingText key={plan.mappingName} {...props} plan={plan} firstRow={output?.shown[0]} />
              <ProblemAlert error={props.previewError}>{output && BEFORE}</ProblemAlert>
            </Suspense>
          ) : (
            <Rules {...props} plan={plan} firstRow={output?.shown[0]} />
          )}
          {output && !props.previewError && <Covered coverage={output.coverage} />}
          <Linked {...props} plan={plan} outputs={props.previewError ? [] : (preview?.outputs.slice(1) ?? [])} />
          {plan.notes.map((one) => (
            <p key={one} className="mt-2 border-l-4 border-accent/60 pl-2 text-xs">
              {one}
            </p>
          ))}
          {props.mayBuild && <Keep {...props} plan={plan} />}
        </>
      )}
    </div>
  );
}

/** What the rows become: records of a type of their own, or of one that is there already. */
function Into({ project, plan, onOnto }: RecordsProps & { plan: Plan }) {
  const types = useRecordTypes(project).data ?? [];
  const [chosen, setChosen] = useState("");
  if (types.length === 0) return null;
  return (
    <p className="mb-3 flex flex-wrap items-center gap-2 text-xs">
      <label htmlFor="become">They become</label>
      <select
        id="become"
        className="select select-xs w-auto max-w-full"
        value={chosen === plan.typeName && types.some((one) => one.name === chosen) ? chosen : ""}
        onChange={(e) => {
          setChosen(e.target.value);
          onOnto(e.target.value);
        }}
      >
        <option value="">records of the type below</option>
        {types.map((one) => (
          <option key={one.name} value={one.name}>
            {one.title || one.name}, which is there already
          </option>
        ))}
      </select>
    </p>
  );
}

/** What the mapping leaves aside, and what it may lose, before anything runs. */
function Covered({ coverage }: { coverage: Schemas["CoverageShown"] }) {
  return (
    <div className="mt-2 text-xs">
      {coverage.losses.map((one) => (
        <p key={one.field} className="mb-1 border-l-4 border-warning bg-warning/10 py-0.5 pl-2">
          <span className="font-mono font-medium">{one.field}</span>: {one.words}
        </p>
      ))}
      {coverage.unused.length > 0 && (
        <details className="pl-2 opacity-80">
          <summary className="cursor-pointer">
            {coverage.unused.length === 1
              ? "One value of the row is"
              : `${coverage.unused.length} values of the row are`}{" "}
            not taken
          </summary>
          <p className="font-mono">{coverage.unused.map(stepsText).join(", ")}</p>
        </details>
      )}
    </div>
  );
}
