import { ArrowDown, ArrowUp } from "lucide-react";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Shown } from "../bench/RecordTable";
import { WhereUsed } from "../finding/WhereUsed";
import { useEnvironments } from "../session/session";
import { useRecordPages, useRecordType, useView } from "./records";

/** The kept records of one type: filtered and sorted by searchable fields, all of it in the page's address. */
export default function RecordList() {
  const { project = "", type = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const environment = query.get("environment") ?? "test";
  const environments = useEnvironments(project);
  const filters = Object.fromEntries([...query].filter(([name]) => name !== "environment"));
  const recordType = useRecordType(project, type);
  const records = useRecordPages(project, environment, type, filters);
  if (recordType.isPending || recordType.error)
    return <NotYet title={type} what="Reading the record type" error={recordType.error} />;
  const fields = recordType.data.document.fields ?? [];
  const searchable = fields.filter((one) => one.searchable);
  const key = recordType.data.document.key ?? [];
  const rows = records.data?.pages.flatMap((page) => page.items) ?? [];
  const count = records.data?.pages[0]?.count;
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value) next.set(name, value);
    else next.delete(name);
    setQuery(next, { replace: true });
  };
  const sort = query.get("sort") ?? "";
  return (
    <Page
      title={recordType.data.title || type}
      aside={
        <>
          <span className="text-sm opacity-80" aria-live="polite">
            {count !== undefined && `${count.toLocaleString("en")} kept in ${environment}`}
          </span>
          <select
            className="select select-sm ml-auto w-28"
            aria-label="Environment"
            value={environment}
            onChange={(e) => set("environment", e.target.value)}
          >
            {environments.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </>
      }
    >
      <Ways project={project} environment={environment} type={type} query={query} onSet={set} />
      <Filters
        key={query.toString()}
        fields={searchable}
        query={query}
        onSet={set}
        onClear={() => setQuery(environment === "test" ? {} : { environment })}
      />
      <ProblemAlert error={records.error} />
      {records.isPending && <Waiting what="Reading records" />}
      {records.data &&
        rows.length === 0 &&
        (count === 0 ? (
          <Empty title={`Nothing is kept in ${environment} yet`}>
            Run a feed that fills it:{" "}
            <Link className="link" to="..">
              Records
            </Link>
            .
          </Empty>
        ) : (
          <Empty title="No record fits these filters">Take one away, or widen a range.</Empty>
        ))}
      {rows.length > 0 && (
        <div className="overflow-x-auto">
          <table className="w-full text-xs">
            <thead>
              <tr className="border-b border-base-300 text-left font-mono text-secondary">
                {fields.map((one) => (
                  <th
                    key={one.name}
                    className="py-1.5 pr-4 font-medium whitespace-nowrap"
                    aria-sort={sort === one.name ? "ascending" : sort === `-${one.name}` ? "descending" : undefined}
                  >
                    {one.searchable ? (
                      <button
                        type="button"
                        className="inline-flex cursor-pointer items-center gap-1 hover:underline"
                        onClick={() =>
                          set("sort", sort === one.name ? `-${one.name}` : sort === `-${one.name}` ? "" : one.name)
                        }
                      >
                        {one.name}
                        {one.unit && <span className="opacity-70">{one.unit}</span>}
                        {sort === one.name && <ArrowUp className="size-3" aria-hidden />}
                        {sort === `-${one.name}` && <ArrowDown className="size-3" aria-hidden />}
                      </button>
                    ) : (
                      one.name
                    )}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody className="font-mono">
              {rows.map((row) => (
                <tr
                  key={row.id}
                  className={`border-b border-base-300 hover:bg-base-200 ${row.gone_at ? "opacity-60" : ""}`}
                  title={row.gone_at ? `gone since ${when(row.gone_at)}` : undefined}
                >
                  {fields.map((one) => (
                    <td key={one.name} className="max-w-56 truncate py-1.5 pr-4 whitespace-nowrap">
                      {key[0] === one.name ? (
                        <Link
                          className="link"
                          to={{
                            pathname: row.key.map((part) => encodeURIComponent(String(part))).join("/"),
                            search: environment === "test" ? "" : `?environment=${environment}`,
                          }}
                        >
                          {String(row.data[one.name])}
                        </Link>
                      ) : (
                        <Shown value={row.data[one.name]} isThere={one.name in row.data} />
                      )}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {records.hasNextPage && (
        <button
          type="button"
          className="btn btn-sm mt-3"
          disabled={records.isFetchingNextPage}
          onClick={() => void records.fetchNextPage()}
        >
          {records.isFetchingNextPage ? "Reading" : "Show more"}
        </button>
      )}
      <WhereUsed project={project} kind="record-types" name={type} />
    </Page>
  );
}

/** What else can be done with the records: those that are gone, files, the SQL view. */
function Ways({
  project,
  environment,
  type,
  query,
  onSet,
}: {
  project: string;
  environment: string;
  type: string;
  query: URLSearchParams;
  onSet: (name: string, value: string) => void;
}) {
  const view = useView(project, environment, type);
  const search = new URLSearchParams([...query].filter(([name]) => name !== "environment")).toString();
  const file = (ending: string) =>
    `/api/v1/projects/${project}/environments/${environment}/record-files/${type}.${ending}${search && `?${search}`}`;
  return (
    <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2 text-xs">
      <label className="flex items-center gap-2">
        Those that no longer come
        <select
          className="select select-xs w-28"
          value={query.get("gone") ?? ""}
          onChange={(event) => onSet("gone", event.target.value)}
        >
          <option value="">left out</option>
          <option value="also">shown too</option>
          <option value="only">alone</option>
        </select>
      </label>
      <span>
        Save as{" "}
        {["ndjson", "json", "csv"].map((ending) => (
          <a key={ending} className="link mr-2" href={file(ending)} download>
            {ending}
          </a>
        ))}
      </span>
      {view && (
        <span>
          In SQL{" "}
          <code>
            {view.schema}.{view.name}
          </code>
          {view.problem && `: ${view.problem}`}
          {view.role && ` (role ${view.role})`}
        </span>
      )}
    </div>
  );
}

function Filters({
  fields,
  query,
  onSet,
  onClear,
}: {
  fields: { name: string; type: string; unit?: string }[];
  query: URLSearchParams;
  onSet: (name: string, value: string) => void;
  onClear: () => void;
}) {
  const [field, setField] = useState("");
  const [how, setHow] = useState("");
  const [value, setValue] = useState("");
  const active = [...query].filter(([name]) => !["environment", "sort", "gone"].includes(name));
  const chosen = fields.find((one) => one.name === field);
  const ways =
    chosen?.type === "text"
      ? [
          ["", "is"],
          [".begins", "begins with"],
          [".from", "from"],
          [".to", "to"],
        ]
      : chosen?.type === "boolean"
        ? [["", "is"]]
        : [
            ["", "is"],
            [".from", "at least"],
            [".to", "at most"],
          ];
  if (fields.length === 0) return null;
  return (
    <div className="mb-4 flex flex-wrap items-center gap-2 text-sm">
      <form
        className="flex flex-wrap items-center gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          onSet(field + how, value);
        }}
      >
        <select
          className="select select-sm w-36"
          aria-label="Field to filter by"
          value={field}
          onChange={(e) => {
            setField(e.target.value);
            setHow("");
          }}
        >
          <option value="">filter by</option>
          {fields.map((one) => (
            <option key={one.name}>{one.name}</option>
          ))}
        </select>
        {chosen && (
          <>
            <select
              className="select select-sm w-28"
              aria-label="How to compare"
              value={how}
              onChange={(e) => setHow(e.target.value)}
            >
              {ways.map(([name, words]) => (
                <option key={name} value={name}>
                  {words}
                </option>
              ))}
            </select>
            {chosen.type === "boolean" ? (
              <select
                className="select select-sm w-24"
                aria-label="Value"
                value={value}
                onChange={(e) => setValue(e.target.value)}
              >
                <option value="">choose</option>
                <option value="true">yes</option>
                <option value="false">no</option>
              </select>
            ) : (
              <input
                className="input input-sm w-40"
                aria-label="Value"
                type={chosen.type === "date" ? "date" : "text"}
                placeholder={chosen.unit}
                value={value}
                onChange={(e) => setValue(e.target.value)}
              />
            )}
            <button className="btn btn-sm" disabled={!value}>
              Filter
            </button>
          </>
        )}
      </form>
      {active.map(([name, text]) => (
        <button
          key={name}
          type="button"
          className="rounded-full bg-accent/12 px-2.5 py-1 text-xs text-accent"
          onClick={() => onSet(name, "")}
          title="take the filter away"
        >
          {name.replace(".from", " ≥").replace(".to", " ≤").replace(".begins", " begins")} {text} ×
        </button>
      ))}
      {active.length > 1 && (
        <button type="button" className="link text-xs" onClick={onClear}>
          take all away
        </button>
      )}
    </div>
  );
}
