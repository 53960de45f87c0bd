import { Link, useNavigate } from "react-router";
import { UsedBy } from "../finding/UsedBy";
import { useName } from "../../ui/naming";
import { Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { isReading, useCopyOperation, useKeepTrial, useSaveOperation } from "./bench";
import { useBench } from "./context";
import { isChanged, isPlanChanged, savedMeanwhile, type Draft, type Operation } from "./draft";

/** What the operation is called, whether it is saved, and the buttons that save it. */
export function TitleBar() {
  const { project, draft, change, mayBuild, named } = useBench();
  const { item, service } = draft;
  const serviceNamed = useName(project, "service", service ? "" : draft.serviceTitle);
  const names = [serviceNamed.words, named.words].filter(Boolean).join(" · ");
  const save = useSaveOperation(project);
  const keepTrial = useKeepTrial(project);
  const copy = useCopyOperation(project);
  const stale = savedMeanwhile(save.error);
  const set = (to: Partial<Pick<Draft, "title" | "serviceTitle">>) => change({ type: "set", to });

  const saved = (made: Operation) => {
    change({ type: "saved", item: made });
    // the page gets the address of its own without being made anew, so that response and records stay
    if (!item) window.history.replaceState(window.history.state, "", `/p/${project}/operations/${made.name}`);
  };
  const store = (version: number | null) =>
    save.mutate(
      { name: item?.name ?? named.name, version, title: draft.title, service, document: draft.document },
      { onSuccess: saved },
    );
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2 border-b border-base-300 px-4 py-3">
        <h1 className="sr-only">{draft.title || item?.name || "New operation"}</h1>
        <input
          className="input input-ghost -ml-2 w-64 px-2 text-lg font-semibold"
          aria-label="Title of the operation"
          placeholder="Name this operation"
          value={draft.title}
          onChange={(e) => set({ title: e.target.value })}
          readOnly={!mayBuild}
        />
        {service ? (
          <Link className="link link-hover text-sm opacity-80" to={`/p/${project}/services/${service}`}>
            {service}
          </Link>
        ) : (
          <input
            className="input input-ghost w-52 px-2 text-sm"
            aria-label="What the service is called"
            placeholder="Name its service"
            value={draft.serviceTitle}
            onChange={(e) => set({ serviceTitle: e.target.value })}
            readOnly={!mayBuild}
          />
        )}
        {(item || named.words) && <span className="font-mono text-xs opacity-70">{item ? item.name : names}</span>}
        <Tag>{isReading(draft.document) ? "reads" : "may write"}</Tag>
        {draft.document.enabled === false && <Tag tone="bad">disabled</Tag>}
        {draft.savedPlan && <Tag>fills {draft.savedPlan.typeName}</Tag>}
        <div className="ml-auto flex items-center gap-3 text-sm">
          <State draft={draft} />
          {item && (
            <UsedBy
              item={{
                project,
                kind: "operations",
                word: "operation",
                name: item.name,
                version: item.version,
                after: `services/${item.service}`,
              }}
            />
          )}
          {mayBuild && item && !isChanged(draft) && <CopyButton copy={copy} of={item} project={project} />}
          {mayBuild && !service && <KeepButton keep={keepTrial} service={serviceNamed.name} onKept={saved} />}
          {mayBuild && service && (
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={save.isPending || !isChanged(draft) || !(item || named.name)}
              onClick={() => store(item?.version ?? null)}
            >
              {save.isPending ? "Saving" : "Save"}
            </button>
          )}
        </div>
      </div>
      {[keepTrial.error, copy.error, stale ? null : save.error].map(
        (error, number) =>
          error && (
            <div key={number} className="p-3">
              <ProblemAlert error={error} />
            </div>
          ),
      )}
      {stale && (
        <Meanwhile
          theirs={stale}
          draft={draft}
          onTheirs={() => {
            change({ type: "theirs taken", item: stale });
            save.reset();
          }}
          onMine={() => store(stale.version)}
        />
      )}
    </>
  );
}

function State({ draft }: { draft: Draft }) {
  const isUnsaved = isChanged(draft) || isPlanChanged(draft);
  return (
    <span className={isUnsaved ? "text-accent" : "opacity-70"} aria-live="polite">
      {isChanged(draft)
        ? "draft, changed · not saved"
        : isUnsaved
          ? "mapping changed · not saved"
          : draft.item
            ? `saved, version ${draft.item.version}`
            : "new"}
    </span>
  );
}

function CopyButton({
  copy,
  of,
  project,
}: {
  copy: ReturnType<typeof useCopyOperation>;
  of: Operation;
  project: string;
}) {
  const navigate = useNavigate();
  return (
    <button
      type="button"
      className="btn btn-ghost btn-sm"
      disabled={copy.isPending}
      title="a copy with its samples and its mapping, as the start of another"
      onClick={() =>
        copy.mutate(
          { name: of.name, copy: `${of.name.slice(0, 54)}-copy` },
          { onSuccess: (made) => navigate(`/p/${project}/operations/${made.name}`) },
        )
      }
    >
      Copy
    </button>
  );
}

/** Makes service, connection and operation of what was sent to an address alone. */
function KeepButton({
  keep,
  service,
  onKept,
}: {
  keep: ReturnType<typeof useKeepTrial>;
  service: string;
  onKept: (made: Operation) => void;
}) {
  const { draft, trial, named } = useBench();
  const missing = !draft.base
    ? "say where it goes"
    : !service
      ? "name its service"
      : !named.name
        ? "name this operation"
        : "";
  return (
    <>
      {isChanged(draft) && missing && <span className="text-xs opacity-80">{missing}, to keep it</span>}
      <button
        type="button"
        className="btn btn-primary btn-sm"
        title="makes the service, its connection and this operation"
        disabled={keep.isPending || missing !== ""}
        onClick={() =>
          keep.mutate(
            {
              run: trial.data?.run,
              base_address: draft.base,
              document: draft.document,
              environment: draft.environment,
              service,
              service_title: draft.serviceTitle,
              operation: named.name,
              title: draft.title,
            },
            { onSuccess: onKept },
          )
        }
      >
        {keep.isPending ? "Keeping" : "Keep as a service"}
      </button>
    </>
  );
}

/** Somebody else has saved: what differs, and a choice that loses nothing. */
function Meanwhile({
  theirs,
  draft,
  onTheirs,
  onMine,
}: {
  theirs: Operation;
  draft: Draft;
  onTheirs: () => void;
  onMine: () => void;
}) {
  const parts = ["method", "path", "inputs", "query", "headers", "paging", "response", "description"] as const;
  const text = (value: unknown) =>
    value === undefined ? "nothing" : typeof value === "string" ? value : JSON.stringify(value);
  const differ = [
    ...(theirs.title !== draft.title ? [["title", theirs.title, draft.title] as const] : []),
    ...parts
      .filter((part) => JSON.stringify(theirs.document[part]) !== JSON.stringify(draft.document[part]))
      .map((part) => [part, text(theirs.document[part]), text(draft.document[part])] as const),
  ];
  return (
    <div role="alert" className="border-b border-base-300 bg-warning/10 px-4 py-3 text-sm">
      <p className="font-medium">
        Somebody else saved this operation meanwhile: it is at version {theirs.version}, you began from{" "}
        {draft.item?.version}.
      </p>
      <table className="my-2 w-full max-w-4xl text-xs">
        <thead>
          <tr className="text-left">
            <th className="pr-4 font-medium">part</th>
            <th className="pr-4 font-medium">theirs, saved</th>
            <th className="font-medium">yours, on this screen</th>
          </tr>
        </thead>
        <tbody className="font-mono">
          {differ.map(([part, one, other]) => (
            <tr key={part} className="border-t border-base-300 align-top">
              <td className="py-1 pr-4">{part}</td>
              <td className="pr-4 break-all">{one}</td>
              <td className="break-all">{other}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <button type="button" className="btn btn-sm mr-2" onClick={onTheirs}>
        Take theirs
      </button>
      <button type="button" className="btn btn-sm" onClick={onMine}>
        Save mine over it
      </button>
    </div>
  );
}
