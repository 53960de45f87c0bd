import { useView } from "./records";

/** What else can be done with the records: those that are gone, files, the SQL view. */
export function KeptWays({
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
