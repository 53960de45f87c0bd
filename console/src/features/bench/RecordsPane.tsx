import { lazy, Suspense, useState } from "react";
import type { Schemas } from "../../api/client";
import { Empty, Field, Heading, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { UsedBy } from "../finding/UsedBy";
import { useRecordTypes } from "./keeping";
import { usePlan, useBench } from "./context";
import { isOrOne, setOrOne } from "./plan";
import { Conditions, OnlySome } from "./Conditions";
import { Keep } from "./Keep";
import { Linked } from "./Linked";
import { stepsText } from "./paths";
import { RecordTable } from "./RecordTable";
import { Rules } from "./Rules";

const MappingText = lazy(() => import("./MappingText"));

const BEFORE = <p className="mt-1 text-xs">The records are those before this change.</p>;

/** Right: the records the response becomes, and how each value is made. */
export function RecordsPane() {
  const { draft, body, preview } = useBench();
  const output = preview.shown?.outputs[0];
  if (draft.response?.outcome?.kind === "nothing_found") {
    return (
      <div className="p-3">
        <Heading>Records</Heading>
        <Empty title="Nothing was found">
          The service says that there is nothing for these inputs: no records, and no failure.
        </Empty>
      </div>
    );
  }
  if (!body) {
    return (
      <div className="p-3">
        <Heading>Records</Heading>
        <Empty title="No records yet">When a good response is there, point at what becomes one row.</Empty>
      </div>
    );
  }
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
      <RowsChoice />
      {draft.plan && <Made />}
    </div>
  );
}

/** Which parts of the response are the rows, and what they become. */
function RowsChoice() {
  const { draft, change, mayBuild, rowChoices, proposal, chooseRows } = useBench();
  const { plan } = draft;
  const rows = plan?.rows.join(" ") ?? "";
  const mayBeOne = plan && plan.mapping.format !== "xml" && plan.rows[plan.rows.length - 1]?.endsWith("[*]");
  return (
    <>
      <Field label="One row is each of">
        {(id) => (
          <select
            id={id}
            className="select select-sm w-full font-mono"
            value={rows}
            onChange={(e) => chooseRows(e.target.value)}
          >
            {!plan && <option value="">choose</option>}
            {plan && !rowChoices.some((one) => one.path === rows) && <option>{rows}</option>}
            {rowChoices.map((one) => (
              <option key={one.path} value={one.path}>
                {one.path} · {one.count} {one.holds === "object" ? "objects" : "values"}
              </option>
            ))}
          </select>
        )}
      </Field>
      {mayBuild && mayBeOne && (
        <label className="-mt-1 mb-2 flex items-center gap-2 text-xs">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={isOrOne(plan)}
            onChange={(e) => change({ type: "set", to: { plan: setOrOne(plan, e.target.checked) } })}
          />
          one object in place of the list is a row too
        </label>
      )}
      {mayBuild && plan && <Into />}
      <ProblemAlert error={proposal.error} />
      {proposal.isPending && <Waiting what="Proposing" />}
    </>
  );
}

/** The records that the plan makes, and how. */
function Made() {
  const { project, draft, mayBuild, preview } = useBench();
  const { plan } = usePlan();
  const [form, setForm] = useState<"list" | "text">("list");
  const output = preview.shown?.outputs[0];
  const problem = <ProblemAlert error={preview.error}>{output && BEFORE}</ProblemAlert>;
  return (
    <>
      <Conditions />
      {mayBuild && <OnlySome />}
      {output && (
        <div className={preview.error ? "opacity-50" : ""}>
          <RecordTable rows={output.rows} shown={output.shown} recordType={plan.recordType} />
        </div>
      )}
      {form === "list" && problem}
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
          <MappingText key={plan.mappingName} firstRow={output?.shown[0]} />
          {problem}
        </Suspense>
      ) : (
        <Rules firstRow={output?.shown[0]} />
      )}
      {output && !preview.error && <Covered coverage={output.coverage} />}
      <Linked outputs={preview.error ? [] : (preview.shown?.outputs.slice(1) ?? [])} />
      {plan.notes.map((one) => (
        <p key={one} className="mt-2 border-l-4 border-accent/60 pl-2 text-xs">
          {one}
        </p>
      ))}
      {draft.savedPlan?.mappingName === plan.mappingName && (
        <p className="mt-3 text-xs">
          This mapping is{" "}
          <UsedBy
            item={{
              project,
              kind: "mappings",
              word: "mapping",
              name: plan.mappingName,
              after: `services/${draft.service}`,
            }}
          />
          .
        </p>
      )}
      {mayBuild && <Keep />}
    </>
  );
}

/** What the rows become: records of a type of their own, or of one that is there already. */
function Into() {
  const { project, chooseRows } = useBench();
  const { plan } = usePlan();
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
          chooseRows(plan.rows, e.target.value);
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
