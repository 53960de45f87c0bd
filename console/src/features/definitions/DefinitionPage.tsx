import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { WhereUsed } from "../finding/WhereUsed";
import { usePermission } from "../session/session";
import { type Comparison, type Source, useCompare, useDefinition, useUpdate } from "./definitions";
import { Faults } from "./Faults";
import { SourceForm } from "./SourceForm";

/** One imported definition: where it came from, what was taken of it, and what has changed in it since. */
export default function DefinitionPage() {
  const { project = "", name = "" } = useParams();
  const found = useDefinition(project, name);
  const mayBuild = usePermission(project, "build");
  const compare = useCompare(project, name);
  const [source, setSource] = useState<Source | null>(null);
  if (!found.data) return <NotYet title={name} what="Reading the definition" error={found.error} />;
  const item = found.data;
  const facts: [string, React.ReactNode][] = [
    ["format", item.document.format],
    ["version", item.document.version],
    ["from", item.document.address || item.document.main],
    ["files", (item.document.files ?? []).length > 1 ? item.document.files?.join(", ") : ""],
    ["taken", when(item.changed_at)],
    ["schemas", item.schemas],
  ];
  return (
    <Page
      title={item.title || item.name}
      aside={
        <>
          <span className="font-mono text-xs opacity-70">{item.name}</span>
          <Link className="link text-sm" to={`../services/${item.service}`}>
            {item.service}
          </Link>
        </>
      }
    >
      <dl className="mb-5 grid max-w-3xl grid-cols-[6rem_1fr] gap-y-1 text-sm">
        {facts
          .filter(([, value]) => Boolean(value))
          .map(([label, value]) => (
            <div key={label} className="contents">
              <dt className="opacity-75">{label}</dt>
              <dd className="break-all">{value}</dd>
            </div>
          ))}
        <dt className="opacity-75">operations</dt>
        <dd className="flex flex-wrap gap-x-3">
          {item.operations.slice(0, 30).map((one) => (
            <Link key={one} className="link" to={`../operations/${one}`}>
              {one}
            </Link>
          ))}
          {item.operations.length > 30 && <span>and {item.operations.length - 30} more</span>}
          {mayBuild && (
            <Link className="link text-accent" to={`../import?service=${item.service}&definition=${item.name}`}>
              import more of it
            </Link>
          )}
        </dd>
      </dl>
      {mayBuild && (
        <>
          <Heading>What does it say now?</Heading>
          <SourceForm
            address={item.document.address}
            isReading={compare.isPending}
            verb="Compare"
            onStop={compare.reset}
            onSource={(given) => {
              setSource(given);
              compare.mutate(given);
            }}
          />
          <ProblemAlert error={compare.error} />
          {compare.data && source && (
            <Changes key={compare.data.hash} project={project} name={name} source={source} found={compare.data} />
          )}
        </>
      )}
      <WhereUsed
        item={{
          project,
          kind: "definitions",
          word: "definition",
          name,
          version: item.version,
          after: `services/${item.service}`,
        }}
      />
    </Page>
  );
}

function Changes({
  project,
  name,
  source,
  found,
}: {
  project: string;
  name: string;
  source: Source;
  found: Comparison;
}) {
  const [taken, setTaken] = useState<Set<string>>(
    new Set(found.changes.filter((one) => one.kind !== "added").map((one) => one.key)),
  );
  const update = useUpdate(project, name);
  if (update.data)
    return (
      <p role="status" className="border-l-4 border-success pl-3 text-sm">
        The definition is as it is there now{found.version && `, version ${found.version}`}.
      </p>
    );
  const toggle = (key: string) => {
    const next = new Set(taken);
    if (!next.delete(key)) next.add(key);
    setTaken(next);
  };
  return (
    <section>
      <p className="mb-3 text-sm">
        {found.changes.length === 0
          ? "Nothing has changed in what is imported."
          : `${found.changes.length} operations have changed, ${found.unchanged} as before.`}
      </p>
      <Faults leftOut={found.left_out} warnings={found.warnings} />
      <ul>
        {found.changes.map((one) => (
          <li key={one.key} className="border-t border-base-300 py-2 text-sm">
            <label className="flex flex-wrap items-baseline gap-x-3">
              <input
                type="checkbox"
                className="checkbox checkbox-sm translate-y-0.5"
                checked={taken.has(one.key)}
                onChange={() => toggle(one.key)}
              />
              <span className="font-medium">{one.title || one.key}</span>
              <span className="font-mono text-xs opacity-75">{one.key}</span>
              <Tag tone={one.kind === "removed" ? "bad" : one.kind === "added" ? "good" : "busy"}>{one.kind}</Tag>
            </label>
            {one.kind === "removed" && <p className="ml-8 text-xs opacity-80">It stays here, disabled.</p>}
            {one.used_by.length > 0 && <p className="ml-8 text-xs">used by {one.used_by.join(", ")}</p>}
            {one.differences.length > 0 && <Differences lines={one.differences} />}
          </li>
        ))}
      </ul>
      <ProblemAlert error={update.error} />
      <button
        type="button"
        className="btn btn-primary btn-sm mt-3"
        disabled={update.isPending}
        onClick={() =>
          update.mutate({
            ...source,
            hash: found.hash,
            accept: found.changes.filter((one) => one.kind !== "added" && taken.has(one.key)).map((one) => one.key),
            add: found.changes.filter((one) => one.kind === "added" && taken.has(one.key)).map((one) => one.key),
          })
        }
      >
        {update.isPending
          ? "Taking"
          : taken.size > 0
            ? `Take ${taken.size} changes`
            : "Keep this version, change nothing"}
      </button>
    </section>
  );
}

function Differences({ lines }: { lines: Schemas["DifferenceItem"][] }) {
  const text = (value: unknown) =>
    value === null || value === undefined ? "–" : typeof value === "string" ? value : JSON.stringify(value);
  return (
    <table className="mt-1 ml-8 w-[calc(100%-2rem)] table-fixed text-xs">
      <thead>
        <tr className="text-left opacity-75">
          <th className="w-2/5 font-medium">what</th>
          <th className="font-medium">before</th>
          <th className="font-medium">now</th>
        </tr>
      </thead>
      <tbody>
        {lines.slice(0, 100).map((one) => (
          <tr key={one.unit} className="border-t border-base-300 align-top">
            <td className="py-1 pr-3 font-mono break-all">{one.unit}</td>
            <td className="py-1 pr-3 break-words">{text(one.before)}</td>
            <td className="py-1 break-words">
              {text(one.now)}
              {one.is_kept && <span className="block text-accent">yours stays</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
