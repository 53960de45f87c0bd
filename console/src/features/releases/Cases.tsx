import { useState } from "react";
import { Link, useParams } from "react-router";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { CaseForm } from "./CaseForm";
import { useCases, useRecordAgain, useRemoveCase, type CheckedCase, type TestCase } from "./cases";

/** The test cases of a project, each with what comes of it now beside what is expected. */
export default function Cases() {
  const { project = "" } = useParams();
  const [isNew, setNew] = useState(false);
  const found = useCases(project);
  const mayBuild = usePermission(project, "build");
  if (!found.data) return <NotYet title="Test cases" what="Checking the test cases" error={found.error} />;
  const { cases, checked } = found.data;
  const wrong = [...checked.values()].filter((one) => !one.is_good).length;
  return (
    <Page
      title="Test cases"
      aside={
        <>
          <span className="text-sm opacity-80" aria-live="polite">
            {cases.length > 0 && (wrong === 0 ? "all as expected" : `${wrong} of ${cases.length} not as expected`)}
          </span>
          <span className="ml-auto flex gap-2">
            <button
              type="button"
              className="btn btn-sm"
              disabled={found.isFetching}
              onClick={() => void found.refetch()}
            >
              {found.isFetching ? "Checking" : "Check again"}
            </button>
            {mayBuild && (
              <button type="button" className="btn btn-sm btn-primary" onClick={() => setNew(!isNew)}>
                Record a case
              </button>
            )}
          </span>
        </>
      }
    >
      {isNew && <CaseForm project={project} onDone={() => setNew(false)} />}
      {cases.length === 0 && !isNew && (
        <Empty title="No test case is recorded yet">
          A case is a recorded response with what an operation and a mapping made of it, or a run of a flow that is
          played again. It is checked without a network: here, by <code>rondine check</code>, and before a release.
        </Empty>
      )}
      {cases.map((one) => (
        <OneCase key={one.name} project={project} item={one} checked={checked.get(one.name)} mayBuild={mayBuild} />
      ))}
    </Page>
  );
}

function OneCase({
  project,
  item,
  checked,
  mayBuild,
}: {
  project: string;
  item: TestCase;
  checked: CheckedCase | undefined;
  mayBuild: boolean;
}) {
  const again = useRecordAgain(project);
  const remove = useRemoveCase(project);
  const { operation, flow, mapping, sample, expected } = item.document;
  const records = Object.entries(expected?.records ?? {}).map(([name, rows]) => `${rows.length} ${name}`);
  return (
    <section className="border-t border-base-300 py-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
        <h2 className="font-medium">{item.title || item.name}</h2>
        <Tag tone={checked?.is_good ? "good" : "bad"}>{checked?.is_good ? "as expected" : "not as expected"}</Tag>
        <span>
          {flow ? "flow" : "operation"}{" "}
          <Link className="link" to={`/p/${project}/${flow ? `flows/${flow}` : `operations/${operation}`}`}>
            {flow || operation}
          </Link>
          {mapping && ` · mapping ${mapping}`}
          {sample && ` · response ${sample}`}
        </span>
        <span className="text-xs opacity-80">
          expects {[expected?.outcome ?? "good", ...records].join(", ")}
          {(expected?.rejects?.length ?? 0) > 0 && `, ${expected?.rejects?.length} rejected`}
        </span>
        {mayBuild && (
          <span className="ml-auto flex gap-2">
            {!checked?.is_good && !checked?.problem && (
              <button
                type="button"
                className="btn btn-xs"
                disabled={again.isPending}
                onClick={() => again.mutate(item.name)}
              >
                It is right so: record again
              </button>
            )}
            <button
              type="button"
              className="btn btn-xs"
              disabled={remove.isPending}
              onClick={() => remove.mutate(item)}
              aria-label={`Remove case ${item.name}`}
            >
              Remove
            </button>
          </span>
        )}
      </div>
      {checked?.problem && <p className="mt-1 text-sm text-error">{checked.problem}</p>}
      {checked && checked.differences.length > 0 && (
        <div className="mt-1.5 overflow-x-auto">
          <table className="text-xs">
            <thead>
              <tr className="text-left text-secondary">
                {["where", "expected", "is now"].map((one) => (
                  <th key={one} className="py-1 pr-5 font-medium">
                    {one}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody className="font-mono">
              {checked.differences.slice(0, 30).map((one) => (
                <tr key={one.path + one.kind} className="border-t border-base-300 align-top">
                  <td className="py-1 pr-5">{one.path}</td>
                  <td className="max-w-96 pr-5 break-words">{one.before || "nothing"}</td>
                  <td className="max-w-96 break-words text-error">{one.after || "nothing"}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {checked.differences.length > 30 && (
            <p className="pt-1 text-xs opacity-75">The first 30 of {checked.differences.length}.</p>
          )}
        </div>
      )}
      <ProblemAlert error={again.error ?? remove.error} />
    </section>
  );
}
