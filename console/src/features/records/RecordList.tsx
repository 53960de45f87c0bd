import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { WhereUsed } from "../finding/WhereUsed";
import { useEnvironments, usePermission } from "../session/session";
import { ColumnsMenu, useColumns } from "./ColumnsMenu";
import { Filters, NO_FILTERS } from "./Filters";
import { KeptWays } from "./KeptWays";
import { plays, useRecordUses, type RecordUses } from "./live";
import { LiveNote } from "./LiveNote";
import { RecordForm } from "./RecordForm";
import { countedProfile, profileOf, type Column } from "./columns";
import { useRecordPages, useRecordProfile, useRecordType } from "./records";
import { pictureSource } from "./pictures";
import { RecordRows } from "./RecordRows";

/** The records of one type, kept or live: filtered and sorted, all of it in the page's address. */
export default function RecordList() {
  const { project = "", type = "" } = useParams();
  const [query] = useSearchParams();
  const environment = query.get("environment") ?? "test";
  const recordType = useRecordType(project, type);
  const uses = useRecordUses(project, environment, type);
  if (!recordType.data || !uses.data)
    return <NotYet title={type} what="Reading the record type" error={recordType.error ?? uses.error} />;
  return <List key={environment} project={project} recordType={recordType.data} uses={uses.data} />;
}

function List({ project, recordType, uses }: { project: string; recordType: Schemas["RecordType"]; uses: RecordUses }) {
  const type = recordType.name;
  const [query, setQuery] = useSearchParams();
  const [isNew, setNew] = useState(false);
  const navigate = useNavigate();
  const environment = query.get("environment") ?? "test";
  const environments = useEnvironments(project);
  const mayBuild = usePermission(project, "build");
  const filters = Object.fromEntries([...query].filter(([name]) => name !== "environment"));
  const records = useRecordPages(project, environment, type, filters, !uses.problem && uses.kind !== "passing");
  const fields = recordType.document.fields ?? [];
  const key = recordType.document.key ?? [];
  const columns = useColumns(project, type, fields);
  const isLive = uses.kind === "live";
  const isLocal = query.get("local") === "true";
  const rows = records.data?.pages.flatMap((page) => page.items) ?? [];
  const profile = useProfiles(project, environment, type, uses.kind === "kept" && !uses.problem, filters, rows);
  const last = records.data?.pages[records.data.pages.length - 1];
  const count = records.data?.pages[0]?.count;
  const use = new Map(uses.fields.map((one) => [one.field, one]));
  const setAll = (values: Record<string, string>) => {
    const next = new URLSearchParams(query);
    for (const [name, value] of Object.entries(values))
      if (value) next.set(name, value);
      else next.delete(name);
    setQuery(next, { replace: true });
  };
  const set = (name: string, value: string) => setAll({ [name]: value });
  const waysOf = (name: string) => (isLocal ? localWays(fields, name) : (use.get(name)?.compare ?? []));
  const search = environment === "test" ? "" : `?environment=${environment}`;
  const address = (parts: unknown[]) => parts.map((part) => encodeURIComponent(String(part))).join("/");
  return (
    <Page
      title={recordType.title || type}
      aside={
        <>
          <Tag tone={isLive ? "busy" : "plain"}>{uses.kind}</Tag>
          <span className="text-sm opacity-80" aria-live="polite">
            {count != null && `${count.toLocaleString("en")} kept in ${environment}`}
          </span>
          {mayBuild && (
            <Link className="link text-sm" to={`/p/${project}/bindings/${type}`}>
              {uses.binding ? "its binding" : "let it be live"}
            </Link>
          )}
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
      {uses.problem && (
        <p role="alert" className="mb-4 border-l-4 border-error bg-error/8 px-3 py-2 text-sm">
          These records cannot be had: {uses.problem}
        </p>
      )}
      {uses.kind === "passing" && (
        <Empty title="These records are passing">
          They are there for the length of a run or of a call, and nothing keeps them.
        </Empty>
      )}
      {uses.kind === "kept" && (
        <KeptWays project={project} environment={environment} type={type} query={query} onSet={set} />
      )}
      <div className="mb-3 flex flex-wrap items-start gap-3">
        <Filters
          key={query.toString()}
          fields={fields.filter((one) => waysOf(one.name).length > 0)}
          waysOf={waysOf}
          query={query}
          onSet={set}
          onClear={() => setQuery(environment === "test" ? {} : { environment })}
        />
        {isLive && (
          <label className="flex items-center gap-2 py-1.5 text-xs">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={isLocal}
              onChange={() => set("local", isLocal ? "" : "true")}
            />
            do here what the service cannot, over at most {uses.most_local.toLocaleString("en")} rows
          </label>
        )}
        <span className="ml-auto flex gap-2">
          {plays(uses, "create") && mayBuild && (
            <button type="button" className="btn btn-xs btn-primary" onClick={() => setNew(!isNew)}>
              New {type}
            </button>
          )}
          {rows.length > 0 && <ColumnsMenu columns={columns} />}
        </span>
      </div>
      {isNew && (
        <RecordForm
          project={project}
          environment={environment}
          recordType={recordType}
          takes={(name) => use.get(name)?.is_created ?? false}
          onCancel={() => setNew(false)}
          onDone={(made) => (made.key ? void navigate({ pathname: address(made.key), search }) : setNew(false))}
        />
      )}
      <ProblemAlert error={records.error} />
      {records.isLoading && <Waiting what={isLive ? "Asking the service" : "Reading records"} />}
      {last?.live && (
        <LiveNote
          project={project}
          live={last.live}
          isAll={last.is_all}
          why={last.all_why ?? ""}
          pages={records.data?.pages.length ?? 1}
          rejects={records.data?.pages.flatMap((page) => page.rejects ?? []) ?? []}
          isAsking={records.isFetching}
          onAgain={() => void records.refetch()}
        />
      )}
      {records.data && rows.length === 0 && <Nothing isEmpty={count === 0} environment={environment} isLive={isLive} />}
      {rows.length > 0 && <p className="mb-1 text-xs opacity-80">{profile.words}</p>}
      {rows.length > 0 && (
        <RecordRows
          columns={columns.shown}
          rows={rows}
          lead={key[0] ?? ""}
          link={(row, words) => (
            <Link className="link" to={{ pathname: address(row.key), search }}>
              {words}
            </Link>
          )}
          pictureOf={(row, field) => pictureSource(project, environment, type, row.key, field)}
          sort={query.get("sort") ?? ""}
          isSortable={(name) => isLocal || (use.get(name)?.is_sorted ?? false)}
          onSort={(sort) => set("sort", sort)}
          canFilter={(name) => waysOf(name).includes("equal")}
          profileOf={profile.of}
          onFilter={setAll}
        />
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
      <WhereUsed
        item={{
          project,
          kind: "record-types",
          word: "record type",
          name: type,
          version: recordType.version,
          after: "records",
        }}
      />
    </Page>
  );
}

/** What the columns look like: of kept records over all that the filters leave, of others over the rows shown. */
function useProfiles(
  project: string,
  environment: string,
  type: string,
  isKept: boolean,
  { sort: _, ...filters }: Record<string, string>,
  rows: { data: Record<string, unknown> }[],
) {
  const { data: counted } = useRecordProfile(project, environment, type, filters, isKept);
  const shown = rows.map((row) => row.data);
  return {
    of: (column: Column) => {
      if (!isKept) return profileOf(shown, column);
      const found = counted?.columns.find((one) => one.name === column.name);
      return found && counted && countedProfile(counted.records, found);
    },
    words: !isKept
      ? `The small bars are of the ${shown.length} rows shown.`
      : !counted
        ? "Counting the values."
        : `The small bars are of ${counted.is_all ? "all " : ""}${counted.records.toLocaleString("en")} records${
            Object.keys(filters).length > 0 ? " that fit the filters" : ""
          }${counted.is_all ? "" : "; there are more, which were not looked at"}.`,
  };
}

function localWays(fields: { name: string; type: string }[], name: string): string[] {
  const type = fields.find((one) => one.name === name)?.type;
  if (type === "json") return [];
  return type === "boolean" ? ["equal"] : ["equal", "from", "to", ...(type === "text" ? ["begins"] : [])];
}

function Nothing({ isEmpty, environment, isLive }: { isEmpty: boolean; environment: string; isLive: boolean }) {
  const [query] = useSearchParams();
  const isFiltered = [...query.keys()].some((name) => !NO_FILTERS.includes(name));
  if (isLive && !isFiltered) return <Empty title={`The service has none in ${environment}`} />;
  if (!isEmpty) return <Empty title="No record fits these filters">Take one away, or widen a range.</Empty>;
  return (
    <Empty title={`Nothing is kept in ${environment} yet`}>
      Run a feed that fills it:{" "}
      <Link className="link" to="..">
        Records
      </Link>
      .
    </Empty>
  );
}
