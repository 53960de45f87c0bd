import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { More, type Paged } from "../../ui/pages";
import { StateTag, Tag, when } from "../../ui/parts";
import { calledAs } from "./services";

/** Operations, each leading to its bench. */
export function OperationList({
  operations,
  withService = false,
}: {
  operations: Paged<Schemas["Operation"]>;
  withService?: boolean;
}) {
  const { project = "" } = useParams();
  return (
    <>
      <ul className="text-sm">
        {operations.items.map((one) => (
          <li key={one.id} className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-2">
            <Link className="link" to={`/p/${project}/operations/${one.name}`}>
              {one.title || one.name}
            </Link>
            <span className="font-mono text-xs opacity-75">{calledAs(one.document)}</span>
            {withService && <span className="text-xs opacity-75">of {one.service}</span>}
            {one.problems.length > 0 && <Tag tone="bad">not ready</Tag>}
            <span className="ml-auto text-xs opacity-85">
              {one.last_run ? (
                <>
                  <StateTag state={one.last_run.state} completeness={one.last_run.completeness} />{" "}
                  <Link className="link" to={`/p/${project}/runs/${one.last_run.id}`}>
                    {when(one.last_run.at)}
                  </Link>
                </>
              ) : (
                "no run yet"
              )}
            </span>
          </li>
        ))}
      </ul>
      <More list={operations} what="operations" />
    </>
  );
}
