import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Heading, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useFlowComparison, useRunsOfFlow } from "./flowRuns";

type Side = Schemas["TaskPairItem"]["first"];

/** The run of a flow beside another one: what each task came to, how long it took, and where they differ. */
export function FlowBeside({ project, run }: { project: string; run: Schemas["Run"] }) {
  const [other, setOther] = useState<number | null>(null);
  const runs = useRunsOfFlow(project, run.flow ?? "");
  const found = useFlowComparison(project, other, run.id);
  const others = runs.data?.filter((one) => one.id !== run.id) ?? [];
  if (run.kind !== "flow" || others.length === 0) return null;
  return (
    <section className="mb-6">
      <Heading
        aside={
          <select
            className="select select-xs w-72"
            aria-label="Beside another run"
            value={other ?? ""}
            onChange={(event) => setOther(event.target.value ? Number(event.target.value) : null)}
          >
            <option value="">choose a run</option>
            {others.map((one) => (
              <option key={one.id} value={one.id}>
                {one.id}, {one.state}, {when(one.queued_at)}
              </option>
            ))}
          </select>
        }
      >
        Beside another run
      </Heading>
      <ProblemAlert error={found.error} />
      {found.data && (
        <>
          <table className="table table-xs">
            <thead>
              <tr>
                <th scope="col">Step</th>
                <th scope="col">Run {found.data.first}</th>
                <th scope="col">This run</th>
                <th scope="col">Differences</th>
              </tr>
            </thead>
            <tbody>
              {found.data.tasks.map((one) => (
                <tr key={one.task}>
                  <td className="font-mono">{one.task}</td>
                  <td>{words(one.first)}</td>
                  <td>{words(one.second)}</td>
                  <td>
                    <Differences of={one.differences} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {(
            [
              ["Inputs", found.data.inputs],
              ["The flow itself", found.data.document],
              ["How it ended", found.data.end],
            ] as const
          ).map(([title, of]) =>
            of.length > 0 ? (
              <div key={title} className="mt-2 text-xs">
                <p className="font-medium">{title}</p>
                <Differences of={of} />
              </div>
            ) : null,
          )}
        </>
      )}
    </section>
  );
}

function words(side: Side): string {
  if (side === null) return "not asked";
  const took = side.milliseconds === null ? "" : `, ${side.milliseconds.toFixed(0)} ms`;
  return `${side.outcome.replaceAll("_", " ") || "under way"}${took}${side.message && `: ${side.message}`}`;
}

/** `given.number` for the normalized path `$['given']['number']` (RFC 9535, section 2.7). */
const short = (path: string) => path.replaceAll(/\['([^']*)'\]/g, ".$1").replace(/^\$\.?/, "");

const SHOWN = 12;

function Differences({ of }: { of: Schemas["ValueDifferenceItem"][] }) {
  return (
    <ul>
      {of.slice(0, SHOWN).map((one) => (
        <li key={one.path + one.kind} className="break-all">
          <span className="font-mono opacity-80">{short(one.path)}</span> {one.before || "not there"} →{" "}
          {one.after || "not there"}
        </li>
      ))}
      {of.length > SHOWN && <li>and {of.length - SHOWN} more</li>}
    </ul>
  );
}
