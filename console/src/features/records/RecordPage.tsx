import { Link, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, when } from "../../ui/parts";
import { Shown } from "../bench/RecordTable";
import { PointingProvider, usePointingState } from "../bench/context";
import { SourcePane } from "../bench/SourcePane";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";
import { LiveRecord } from "./LiveRecord";
import { Picture } from "./Picture";
import { pictureSource } from "./pictures";
import { useChanges, useRecord, useRecordType } from "./records";

/** One record: its values, and for each the place in the response it came from. */
export default function RecordPage() {
  const { project = "", type = "", "*": key = "" } = useParams();
  const [query] = useSearchParams();
  const environment = query.get("environment") ?? "test";
  const record = useRecord(project, environment, type, key);
  const recordType = useRecordType(project, type);
  const pointing = usePointingState(record.data?.trace?.body);
  const { lit, point, show } = pointing;
  if (!record.data || !recordType.data) return <NotYet title={key} what="Reading the record" error={record.error} />;
  if (record.data.live)
    return (
      <LiveRecord
        project={project}
        environment={environment}
        recordType={recordType.data}
        address={key}
        record={record.data}
        live={record.data.live}
        isAsking={record.isFetching}
        onAgain={() => void record.refetch()}
      />
    );
  const { data, trace } = record.data;
  const fields = recordType.data?.document.fields ?? [];
  const places = new Map((trace?.row?.fields ?? []).map((one) => [one.field, one.pointer]));
  return (
    <Page
      title={record.data.key.map(String).join(", ")}
      aside={
        <Link className="link text-sm" to={`/p/${project}/records/${type}`}>
          {recordType.data?.title || type}
        </Link>
      }
    >
      <div className="grid gap-6 lg:grid-cols-2">
        <section>
          <Heading>Values</Heading>
          <dl className="text-sm" onMouseLeave={() => point(null)}>
            {fields.map((one) => {
              const pointer = places.get(one.name) ?? null;
              return (
                <div
                  key={one.name}
                  className={`grid grid-cols-[9rem_1fr] gap-3 border-b border-base-300 py-1.5 ${pointer && lit === pointer ? "bg-accent/20" : ""}`}
                  onMouseEnter={() => point(pointer)}
                >
                  <dt className="font-mono text-xs text-secondary">{one.name}</dt>
                  <dd>
                    {one.is_picture && data[one.name] ? (
                      <Picture
                        address={asText(data[one.name])}
                        source={pictureSource(project, environment, type, record.data.key, one.name)}
                        height={160}
                      />
                    ) : (
                      <Shown value={data[one.name]} isThere={one.name in data} />
                    )}{" "}
                    <span className="opacity-70">{data[one.name] != null && one.unit}</span>
                    {pointer && (
                      <button
                        type="button"
                        className="ml-2 cursor-pointer font-mono text-xs text-accent hover:underline"
                        onClick={() => show(pointer)}
                      >
                        {pointer}
                      </button>
                    )}
                  </dd>
                </div>
              );
            })}
          </dl>
          <Linked
            project={project}
            environment={environment}
            belongsTo={record.data.belongs_to ?? []}
            holds={record.data.holds ?? []}
          />
          <p className="mt-3 text-sm">
            Last changed {when(record.data.changed_at)} by{" "}
            <Link className="link" to={`/p/${project}/runs/${record.data.run}`}>
              run {record.data.run}
            </Link>
            ,{" "}
            <Link className="link" to={`/p/${project}/runs/${record.data.run}/calls/${record.data.call}`}>
              call {record.data.call}
            </Link>
            ; first kept {when(record.data.made_at)}.{" "}
            {record.data.gone_at
              ? `Gone since ${when(record.data.gone_at)}: its rows no longer come.`
              : `Brought by ${(record.data.feeds ?? []).join(", ")}.`}
          </p>
          <History project={project} environment={environment} type={type} name={key} />
        </section>
        <section className="flex min-h-0 min-w-0 flex-col lg:max-h-[80vh]">
          {trace?.body ? (
            <PointingProvider value={pointing}>
              <SourcePane
                project={project}
                title="Where it came from"
                body={trace.body}
                call={null}
                begin={trace.row?.pointer ?? null}
              />
            </PointingProvider>
          ) : (
            <>
              <Heading>Where it came from</Heading>
              <p className="text-sm opacity-80">{trace?.note}</p>
            </>
          )}
        </section>
      </div>
    </Page>
  );
}

/** What changed, when, and by which run. */
function History({
  project,
  environment,
  type,
  name,
}: {
  project: string;
  environment: string;
  type: string;
  name: string;
}) {
  const changes = useChanges(project, environment, type, name);
  if (!changes.data) return <ProblemAlert error={changes.error} />;
  const { items, history, is_all } = changes.data;
  return (
    <section className="mt-5" aria-label="History">
      <Heading>History</Heading>
      {history === "none" && <p className="text-sm opacity-80">Nothing is written down of records of this type.</p>}
      {history !== "none" && items.length === 0 && (
        <p className="text-sm opacity-80">Nothing has changed since it came.</p>
      )}
      <ol className="text-sm">
        {items.map((change) => (
          <li key={change.id} className="border-b border-base-300 py-1.5">
            {when(change.at)} {change.kind}
            {change.run > 0 && (
              <>
                {" "}
                by{" "}
                <Link className="link" to={`/p/${project}/runs/${change.run}`}>
                  run {change.run}
                </Link>
              </>
            )}
            {differing(change).map((field) => (
              <div key={field} className="grid grid-cols-[9rem_1fr] gap-3 font-mono text-xs">
                <span className="text-secondary">{field}</span>
                <span>
                  <Shown value={change.before?.[field]} isThere={field in (change.before ?? {})} /> →{" "}
                  <Shown value={change.after?.[field]} isThere={field in (change.after ?? {})} />
                </span>
              </div>
            ))}
          </li>
        ))}
      </ol>
      {!is_all && <p className="pt-1 text-xs opacity-75">The newest {items.length}.</p>}
    </section>
  );
}

function differing(change: Schemas["RecordChangeItem"]): string[] {
  return [...new Set([...Object.keys(change.before ?? {}), ...Object.keys(change.after ?? {})])];
}

/** One step further: what this record belongs to, and what belongs to it. */
function Linked({
  project,
  environment,
  belongsTo,
  holds,
}: {
  project: string;
  environment: string;
  belongsTo: Schemas["LinkedRecord"][];
  holds: Schemas["LinkedRecords"][];
}) {
  const address = (type: string, key: unknown[]) => ({
    pathname: `/p/${project}/records/${type}/${key.map((part) => encodeURIComponent(String(part))).join("/")}`,
    search: environment === "test" ? "" : `?environment=${environment}`,
  });
  return (
    <>
      {belongsTo.map((one) => (
        <p key={one.record_type} className="mt-3 text-sm">
          Belongs to {one.record_type}{" "}
          {one.is_kept ? (
            <Link className="link font-mono" to={address(one.record_type, one.key)}>
              {one.key.map(String).join(", ")}
            </Link>
          ) : (
            <>
              <span className="font-mono">{one.key.map(String).join(", ")}</span>, which is not kept
            </>
          )}
          .
        </p>
      ))}
      {holds.map((one) => {
        const names = one.columns;
        return (
          <section key={one.record_type} className="mt-5" aria-label={one.record_type}>
            <Heading
              aside={
                one.records.length > 0 && (
                  <Link
                    className="link text-xs"
                    to={`/p/${project}/records/${one.record_type}?${new URLSearchParams({ ...one.where, ...(environment === "test" ? {} : { environment }) })}`}
                  >
                    all of them
                  </Link>
                )
              }
            >
              {one.record_type}
            </Heading>
            {one.records.length === 0 ? (
              <p className="text-sm opacity-80">None belongs to it.</p>
            ) : (
              <div className="overflow-x-auto">
                <table className="w-full text-xs">
                  <thead>
                    <tr className="border-b border-base-300 text-left font-mono text-secondary">
                      {names.map((name) => (
                        <th key={name} className="py-1 pr-4 font-medium">
                          {name}
                        </th>
                      ))}
                    </tr>
                  </thead>
                  <tbody className="font-mono">
                    {one.records.map((row) => (
                      <tr key={row.id} className="border-b border-base-300">
                        {names.map((name, number) => (
                          <td key={name} className="max-w-48 truncate py-1 pr-4">
                            {number === 0 ? (
                              <Link className="link" to={address(one.record_type, row.key)}>
                                <Shown value={row.data[name]} isThere={name in row.data} />
                              </Link>
                            ) : (
                              <Shown value={row.data[name]} isThere={name in row.data} />
                            )}
                          </td>
                        ))}
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            )}
            {!one.is_all && <p className="pt-1 text-xs opacity-75">The first {one.records.length}.</p>}
          </section>
        );
      })}
    </>
  );
}
