import { Trash2 } from "lucide-react";
import type { Schemas } from "../../api/client";
import { Heading } from "../../ui/parts";
import { addPart, dropPart, namedFor } from "./plan";
import { stepsText } from "./paths";
import { useBench, usePlan } from "./context";
import { RecordTable } from "./RecordTable";

/** The lists in each row: as records of their own that belong to the row's, or how to make them that. */
export function Linked({ outputs }: { outputs: Schemas["PreviewOutput"][] }) {
  const { mayBuild } = useBench();
  const { plan, setPlan } = usePlan();
  const open = plan.parts.filter((one) => !(namedFor(one, plan.typeName).name in plan.linked));
  return (
    <>
      {outputs
        .filter((one) => one.record_type in plan.linked)
        .map((one) => (
          <section key={one.record_type} className="mt-4" aria-label={one.record_type}>
            <Heading
              aside={
                <span className="flex items-center gap-2 text-xs">
                  {one.records} of {one.rows} rows
                  {one.rejected > 0 && <span className="text-accent">, {one.rejected} rejected</span>}
                  {mayBuild && (
                    <button
                      type="button"
                      className="btn btn-ghost btn-xs px-1"
                      aria-label={`leave out ${one.record_type}`}
                      onClick={() => setPlan(dropPart(plan, one.record_type))}
                    >
                      <Trash2 className="size-3.5" aria-hidden />
                    </button>
                  )}
                </span>
              }
            >
              {one.record_type}, each of a {plan.typeName}
            </Heading>
            <RecordTable rows={one.rows} shown={one.shown} recordType={plan.linked[one.record_type] ?? {}} />
          </section>
        ))}
      {mayBuild &&
        open.map((one) => (
          <p key={one.name} className="mt-2 flex flex-wrap items-center gap-2 text-xs">
            <span>
              Each row holds a list, <span className="font-mono">{stepsText(one.path.replace("[*]", ""))}</span>.
            </span>
            <button type="button" className="btn btn-xs" onClick={() => setPlan(addPart(plan, one))}>
              Make it records that belong to their {plan.typeName}
            </button>
          </p>
        ))}
    </>
  );
}
