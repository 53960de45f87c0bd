import type { Schemas } from "../../api/client";
import { Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type State, useDifferences } from "./releases";

const MARKS = { added: "+", removed: "−", changed: "~" } as const;
const TONES = { added: "text-success", removed: "text-error", changed: "text-info" } as const;

/** What differs from one state of a project to another, item by item. same: what is said if nothing does. */
export function Differences({
  project,
  before,
  after,
  same,
}: {
  project: string;
  before: State;
  after: State;
  same: string;
}) {
  const found = useDifferences(project, before, after);
  if (found.isPending) return <Waiting what="Comparing" />;
  if (found.error) return <ProblemAlert error={found.error} />;
  if (found.data.length === 0) return <p className="text-sm opacity-80">{same}</p>;
  return (
    <ul className="text-sm">
      {found.data.map((item) => (
        <ItemDifference key={`${item.kind} ${item.name}`} item={item} />
      ))}
    </ul>
  );
}

function ItemDifference({ item }: { item: Schemas["ReleaseDifferenceItem"] }) {
  const versions = item.what === "changed" ? `version ${item.before} → ${item.after}` : item.what;
  const by = [item.by && `by ${item.by}`, item.why && `“${item.why}”`].filter(Boolean).join(", ");
  return (
    <li className="border-t border-base-300 py-1.5">
      <p className="flex flex-wrap items-baseline gap-x-2">
        <span className={`font-mono ${TONES[item.what]}`} aria-label={item.what}>
          {MARKS[item.what]}
        </span>
        <span className="opacity-80">{item.kind}</span>
        <span className="font-medium">{item.name}</span>
        {item.name_before && item.name_before !== item.name && (
          <span className="text-xs opacity-80">was called {item.name_before}</span>
        )}
        <span className="text-xs opacity-80">
          {versions}
          {by && `, ${by}`}
        </span>
      </p>
      {item.differences.length > 0 && (
        <dl className="mt-1 ml-5 grid gap-x-3 gap-y-0.5 text-xs sm:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
          {item.differences.map((one) => (
            <div key={one.path + one.kind} className="contents">
              <dt className="font-mono break-all opacity-90">{one.path.replace("$['document']", "")}</dt>
              <dd className="mb-1 font-mono break-all">
                {one.before && <del className="text-error">{one.before}</del>}{" "}
                {one.after && <ins className="text-success no-underline">{one.after}</ins>}
                {!one.before && !one.after && one.kind}
              </dd>
            </div>
          ))}
        </dl>
      )}
    </li>
  );
}
