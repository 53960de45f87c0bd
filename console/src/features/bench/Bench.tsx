import { useEffect, useMemo, useState } from "react";
import { useBlocker, useNavigate, useParams, useSearchParams } from "react-router";
import { Problem, type Schemas } from "../../api/client";
import { Page } from "../../ui/Layout";
import { Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironments, usePermission } from "../session/session";
import { useEnvironmentList, useStandingNames } from "../environments/environments";
import { useName } from "../../ui/naming";
import {
  bodiesBeside,
  isReading,
  useKeepSample,
  useKeepTrial,
  useLookAt,
  useMakeFeed,
  useMoveKey,
  useOperation,
  usePasted,
  useOutline,
  usePreview,
  usePropose,
  useRequest,
  useSamplesOf,
  useSaveOperation,
  useSavePlan,
  usePasteParts,
  useCopyOperation,
  useTrial,
  withPasted,
  type OperationDocument,
  type RecordGiven,
  type Trial,
} from "./bench";
import { leave, only, rename, rulesOf, setField, take, type Plan } from "./plan";
import { fromRow, pathOf } from "./paths";
import { RecordsPane } from "./RecordsPane";
import { Panes } from "../../ui/Panes";
import { RequestPane } from "./RequestPane";
import { ResponsePane } from "./ResponsePane";
import { asText } from "../../ui/text";

/** One operation: request, response, records, side by side. */
export default function Bench() {
  const { project = "", name = "new" } = useParams();
  const [query] = useSearchParams();
  const found = useOperation(project, name);
  if (name === "new")
    return (
      <Workbench key="new" project={project} service={query.get("service") ?? ""} item={null} plan={null} values={{}} />
    );
  if (found.isPending)
    return (
      <Page title={name}>
        <Waiting what="Reading the operation" />
      </Page>
    );
  if (found.error)
    return (
      <Page title={name}>
        <ProblemAlert error={found.error} />
      </Page>
    );
  const values: Record<string, string> = {};
  for (const input of found.data.item.document.inputs ?? []) {
    const value = found.data.lastInputs[input.name] ?? input.try_value;
    if (value !== undefined && value !== null) values[input.name] = asText(value);
  }
  return (
    <Workbench
      key={name}
      project={project}
      service={found.data.item.service}
      item={found.data.item}
      plan={found.data.plan}
      values={values}
    />
  );
}

interface Props {
  project: string;
  service: string;
  item: Schemas["Operation"] | null;
  plan: Plan | null;
  values: Record<string, string>;
}

function Workbench(props: Props) {
  const { project } = props;
  const [service, setService] = useState(props.service);
  const [base, setBase] = useState("");
  const [serviceTitle, setServiceTitle] = useState("");
  const navigate = useNavigate();
  const environments = useEnvironments(project);
  const mayBuild = usePermission(project, "build");
  const mayTry = usePermission(project, "try");
  const [item, setItem] = useState(props.item);
  const [title, setTitle] = useState(props.item?.title ?? "");
  const [document, setDocument] = useState<OperationDocument>(props.item?.document ?? {});
  const [values, setValues] = useState(props.values);
  const [isDescribing, setDescribing] = useState(!document.path || document.path === "/");
  const [environment, setEnvironment] = useState("test");
  const [record, setRecord] = useState<RecordGiven | null>(null);
  const [plan, setPlan] = useState<Plan | null>(props.plan);
  const [savedPlan, setSavedPlan] = useState<Plan | null>(props.plan);
  const [lit, setLit] = useState<string | null>(null);
  const [focus, setFocus] = useState<string | null>(null);
  const [aim, setAim] = useState<string | null>(null);
  const [keptSample, setKeptSample] = useState<string | null>(null);
  const [elsewhere, setElsewhere] = useState<Schemas["PasteParts"] | null>(null);

  const named = useName(project, "operation", item ? "" : title, service || serviceTitle);
  const serviceNamed = useName(project, "service", service ? "" : serviceTitle);
  const isChanged = title !== (item?.title ?? "") || JSON.stringify(document) !== JSON.stringify(item?.document ?? {});
  const planChanged = plan !== null && JSON.stringify(plan) !== JSON.stringify(savedPlan);
  const leaving = useBlocker(
    ({ currentLocation, nextLocation }) =>
      (isChanged || planChanged) && currentLocation.pathname !== nextLocation.pathname,
  );
  useEffect(() => {
    if (!isChanged && !planChanged) return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [isChanged, planChanged]);

  const asked = useMemo(
    () => ({
      service,
      base_address: service ? "" : base,
      environment,
      document,
      inputs: values,
      ...(record ? { record } : {}),
    }),
    [service, base, environment, document, values, record],
  );
  const request = useRequest(project, asked);
  const trial = useTrial(project);
  const takeApart = usePasteParts(project, service, environment);
  const copy = useCopyOperation(project);
  const propose = usePropose(project, item?.name ?? "");
  const save = useSaveOperation(project);
  const savePlan = useSavePlan(project);
  const keep = useKeepSample(project);
  const keepTrial = useKeepTrial(project);
  const move = useMoveKey(project);
  const isProtected = useEnvironmentList(project).data?.find((one) => one.name === environment)?.is_protected ?? false;
  const makeFeed = useMakeFeed(project);
  const standing = useStandingNames(project);
  const pasted = usePasted(project);
  const looked = useLookAt(project);
  const samples = useSamplesOf(project, item?.name ?? "");
  const response = looked.data ?? trial.data ?? pasted.data ?? null;
  const body =
    response?.body && !response.unreadable && response.outcome?.is_good && response.outcome.kind !== "nothing_found"
      ? response.body
      : null;
  const corrections = document.response?.corrections ?? [];
  const earlier = bodiesBeside(body, response?.format, samples);
  const outline = useOutline(project, body, earlier, corrections);
  const preview = usePreview(project, body, plan, values);
  const lines = body ? (outline.data?.lines ?? []) : [];

  const takePasted = (parts: Schemas["PasteParts"]) => {
    setDocument((now) => withPasted(now, parts));
    if (!service && parts.base_address) setBase(parts.base_address);
    if (!title && parts.title) setTitle(parts.title);
  };

  const chooseRows = (path: string | string[], from = body, onto = "", format = response?.format) => {
    const rows = typeof path === "string" ? [path] : path;
    if (!from || !rows[0]) return;
    propose.mutate(
      {
        body: from,
        format,
        rows,
        corrections,
        mappingName: plan?.mappingName ?? item?.name ?? (named.name || "mapping"),
        path: document.path ?? "",
        onto,
      },
      {
        onSuccess: (made) => {
          setPlan({ ...made, mappingName: made.mappingName || "mapping" });
          setDocument((now) => ({ ...now, response: { ...now.response, rows } }));
        },
      },
    );
  };

  const receive = (made: Trial) => {
    if (!made.body || made.unreadable || !made.outcome?.is_good || made.outcome.kind === "nothing_found") return;
    const first = made.row_choices[0];
    if (!plan && first && first.holds === "object")
      chooseRows(document.response?.rows?.[0] ?? first.path, made.body, "", made.format);
  };

  const paste = (content: string | File) => {
    trial.reset();
    looked.reset();
    const name = `${item?.name ?? (named.name || "pasted")}-${Date.now().toString(36)}`;
    pasted.mutate(
      { name, content, operation: item?.name ?? null },
      {
        onSuccess: (made) => {
          setKeptSample(name);
          receive(made);
        },
      },
    );
  };

  const [bodyBefore, setBodyBefore] = useState<string | null>(null);
  const send = (confirmed: boolean, inProtected: boolean) => {
    setKeptSample(null);
    setFocus(null);
    setBodyBefore(response?.body ?? null);
    pasted.reset();
    looked.reset();
    trial.mutate(
      { ...asked, operation: item?.name, confirmed, in_protected: inProtected, empty_is_meant: confirmed },
      { onSuccess: receive },
    );
  };

  const correct = (correction: Schemas["Correction"]) => {
    setDocument((now) => ({
      ...now,
      response: {
        ...now.response,
        corrections: [...(now.response?.corrections ?? []).filter((one) => one.path !== correction.path), correction],
      },
    }));
    const relative = plan && fromRow(correction.path, plan.rows);
    const rule =
      plan && relative ? rulesOf(plan).find((one) => pathOf(one.from, plan.mapping.format) === relative) : undefined;
    if (!plan || !rule) return;
    let next = plan;
    if (correction.type) next = setField(next, rule.name, { type: correction.type });
    if (correction.name && /^[a-z][a-z0-9_-]*$/.test(correction.name)) next = rename(next, rule.name, correction.name);
    setPlan(next);
  };

  /** Makes service, connection and operation of what was sent to an address alone. */
  const storeOneOff = () =>
    keepTrial.mutate(
      {
        run: trial.data?.run,
        base_address: base,
        document,
        environment,
        service: serviceNamed.name,
        service_title: serviceTitle,
        operation: named.name,
        title,
      },
      {
        onSuccess: (made) => {
          setItem(made);
          setService(made.service);
          setDocument(made.document);
          window.history.replaceState(window.history.state, "", `/p/${project}/operations/${made.name}`);
        },
      },
    );

  const store = (version: number | null, over?: boolean) => {
    const name = item?.name ?? named.name;
    save.mutate(
      { name, version: over && stale ? stale.version : version, title, service, document },
      {
        onSuccess: (made) => {
          setItem(made);
          setDocument(made.document);
          // the page gets the address of its own without being made anew, so that response and records stay
          if (!item) window.history.replaceState(window.history.state, "", `/p/${project}/operations/${made.name}`);
        },
      },
    );
  };
  const missing = !base
    ? "say where it goes"
    : !serviceNamed.name
      ? "name its service"
      : !named.name
        ? "name this operation"
        : "";
  const stale =
    save.error instanceof Problem && save.error.code === "changed_meanwhile"
      ? (save.error.document.current as Schemas["Operation"])
      : null;

  return (
    <div className="flex flex-1 flex-col lg:h-[calc(100vh-2.75rem)] lg:flex-none">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2 border-b border-base-300 px-4 py-3">
        <h1 className="sr-only">{title || item?.name || "New operation"}</h1>
        <input
          className="input input-ghost -ml-2 w-64 px-2 text-lg font-semibold"
          aria-label="Title of the operation"
          placeholder="Name this operation"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
          readOnly={!mayBuild}
        />
        {service ? (
          <span className="text-sm opacity-80">{service}</span>
        ) : (
          <input
            className="input input-ghost w-52 px-2 text-sm"
            aria-label="What the service is called"
            placeholder="Name its service"
            value={serviceTitle}
            onChange={(e) => setServiceTitle(e.target.value)}
            readOnly={!mayBuild}
          />
        )}
        {item ? (
          <span className="font-mono text-xs opacity-70">{item.name}</span>
        ) : (
          named.words && (
            <span className="font-mono text-xs opacity-70">
              {[serviceNamed.words, named.words].filter(Boolean).join(" · ")}
            </span>
          )
        )}
        <Tag>{isReading(document) ? "reads" : "may write"}</Tag>
        {document.enabled === false && <Tag tone="bad">disabled</Tag>}
        {savedPlan && <Tag>fills {savedPlan.typeName}</Tag>}
        <div className="ml-auto flex items-center gap-3 text-sm">
          <span className={isChanged || planChanged ? "text-accent" : "opacity-70"} aria-live="polite">
            {isChanged
              ? "draft, changed · not saved"
              : planChanged
                ? "mapping changed · not saved"
                : item
                  ? `saved, version ${item.version}`
                  : "new"}
          </span>
          {mayBuild && item && !isChanged && (
            <button
              type="button"
              className="btn btn-ghost btn-sm"
              disabled={copy.isPending}
              title="a copy with its samples and its mapping, as the start of another"
              onClick={() =>
                copy.mutate(
                  { name: item.name, copy: `${item.name.slice(0, 54)}-copy` },
                  { onSuccess: (made) => navigate(`/p/${project}/operations/${made.name}`) },
                )
              }
            >
              Copy
            </button>
          )}
          {mayBuild && !service && isChanged && missing && (
            <span className="text-xs opacity-80">{missing}, to keep it</span>
          )}
          {mayBuild && !service && (
            <button
              type="button"
              className="btn btn-primary btn-sm"
              title="makes the service, its connection and this operation"
              disabled={keepTrial.isPending || missing !== ""}
              onClick={storeOneOff}
            >
              {keepTrial.isPending ? "Keeping" : "Keep as a service"}
            </button>
          )}
          {mayBuild && service && (
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={save.isPending || !isChanged || !(item || named.name)}
              onClick={() => store(item?.version ?? null)}
            >
              {save.isPending ? "Saving" : "Save"}
            </button>
          )}
        </div>
      </div>
      {keepTrial.error && (
        <div className="p-3">
          <ProblemAlert error={keepTrial.error} />
        </div>
      )}
      {copy.error && (
        <div className="p-3">
          <ProblemAlert error={copy.error} />
        </div>
      )}
      {stale ? (
        <Meanwhile
          theirs={stale}
          mine={{ title, document }}
          base={item}
          onTheirs={() => {
            setItem(stale);
            setTitle(stale.title);
            setDocument(stale.document);
            save.reset();
          }}
          onMine={() => store(null, true)}
        />
      ) : (
        save.error && (
          <div className="p-3">
            <ProblemAlert error={save.error} />
          </div>
        )
      )}
      {leaving.state === "blocked" && (
        <div
          role="alertdialog"
          aria-label="Not saved"
          className="flex flex-wrap items-center gap-3 border-b border-base-300 bg-warning/10 px-4 py-3 text-sm"
        >
          What you changed here is not saved.
          <button type="button" className="btn btn-sm" onClick={() => leaving.reset()}>
            Stay
          </button>
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => leaving.proceed()}>
            Leave without saving
          </button>
        </div>
      )}
      <Panes
        name={isDescribing ? "bench describing" : "bench"}
        labels={["the request", "the response", "the records"]}
        widths={isDescribing ? [42, 28] : [22, 38]}
      >
        <RequestPane
          isDescribing={isDescribing}
          onDescribing={setDescribing}
          document={document}
          values={values}
          environment={environment}
          environments={environments}
          shown={request.data}
          shownError={request.error}
          isSending={trial.isPending}
          isTakingApart={takeApart.isPending}
          sendError={trial.error}
          maySend={mayTry}
          trial={response}
          onDocument={setDocument}
          onValues={setValues}
          onEnvironment={setEnvironment}
          onSend={send}
          isProtected={isProtected}
          standing={standing}
          project={project}
          connection={request.data?.connection ?? ""}
          record={record}
          onRecord={setRecord}
          moveError={move.error}
          onMoveKey={(place) =>
            move.mutate(
              { service, environment, place, document },
              { onSuccess: (moved) => setDocument(moved.document as OperationDocument) },
            )
          }
          addressError={takeApart.error}
          base={service ? null : base}
          onBase={setBase}
          onAddress={(address) =>
            takeApart.mutate(address, {
              onSuccess: (parts) => (parts.difference ? setElsewhere(parts) : takePasted(parts)),
            })
          }
          elsewhere={elsewhere}
          onElsewhere={(isMeant) => {
            if (isMeant && elsewhere) takePasted(elsewhere);
            setElsewhere(null);
          }}
        />
        <ResponsePane
          project={project}
          trial={response}
          isSending={trial.isPending}
          lines={lines}
          corrections={corrections}
          plan={plan}
          lit={lit}
          focus={focus}
          onPoint={setLit}
          onRows={chooseRows}
          onCorrect={correct}
          document={document}
          onDocument={setDocument}
          onTake={(path, type, convert) => {
            if (plan) setPlan(take(plan, path, type, convert, aim));
            setAim(null);
          }}
          onLeave={(field) => plan && setPlan(leave(plan, field))}
          keptSample={keptSample}
          keepError={keep.error}
          onPaste={paste}
          isPasting={pasted.isPending}
          pasteError={pasted.error}
          bodyBefore={bodyBefore}
          earlier={body ? earlier : []}
          samples={samples}
          onLookAt={(sample) =>
            looked.mutate(sample, {
              onSuccess: (made) => {
                setKeptSample(sample.name);
                setFocus(null);
                receive(made);
              },
            })
          }
          sampleCount={outline.data?.samples}
          onFilter={mayBuild && plan ? (member, text) => setPlan(only(plan, member, text)) : undefined}
          onKeepSample={() =>
            response &&
            keep.mutate(
              {
                name: `${item?.name ?? (named.name || "sample")}-${response.run}`,
                run: response.run,
                operation: item?.name ?? null,
              },
              { onSuccess: (made) => setKeptSample(made.name) },
            )
          }
        />
        <RecordsPane
          trial={response}
          rowChoices={(body && outline.data?.row_choices) || response?.row_choices || []}
          lines={lines}
          plan={plan}
          preview={preview.shown}
          previewError={preview.error}
          proposeError={propose.error}
          isProposing={propose.isPending}
          lit={lit}
          environment={environment}
          operation={item?.name ?? ""}
          project={project}
          service={service}
          isSaved={item !== null && !isChanged}
          isSaving={savePlan.isPending}
          saveError={savePlan.error}
          savedAs={savedPlan && !planChanged ? savedPlan.mappingName : null}
          isRunning={makeFeed.isPending}
          supportsCopy={request.data?.supports.includes("copy") ?? true}
          runError={makeFeed.error}
          mayBuild={mayBuild}
          onPlan={setPlan}
          onRows={chooseRows}
          onOnto={(onto) => chooseRows(plan?.rows ?? [], body, onto)}
          aim={aim}
          onAim={setAim}
          onPoint={setLit}
          onFocus={setFocus}
          onSave={() =>
            plan &&
            savePlan.mutate(
              { plan, service },
              {
                onSuccess: () => {
                  const confirmed = { ...plan, proposed: {}, unsure: [] };
                  setAim(null);
                  setPlan(confirmed);
                  setSavedPlan(confirmed);
                },
              },
            )
          }
          onRun={(feed) =>
            plan &&
            item &&
            makeFeed.mutate(
              { name: feed, operation: item.name, mapping: plan.mappingName, environment, document: {} },
              { onSuccess: (run) => navigate(`../runs/${run.id}`) },
            )
          }
        />
      </Panes>
    </div>
  );
}

/** Somebody else has saved: what differs, and a choice that loses nothing. */
function Meanwhile({
  theirs,
  mine,
  base,
  onTheirs,
  onMine,
}: {
  theirs: Schemas["Operation"];
  mine: { title: string; document: OperationDocument };
  base: Schemas["Operation"] | null;
  onTheirs: () => void;
  onMine: () => void;
}) {
  const parts = ["method", "path", "inputs", "query", "headers", "paging", "response", "description"] as const;
  const text = (value: unknown) =>
    value === undefined ? "nothing" : typeof value === "string" ? value : JSON.stringify(value);
  const differ = [
    ...(theirs.title !== mine.title ? [["title", theirs.title, mine.title] as const] : []),
    ...parts
      .filter((part) => JSON.stringify(theirs.document[part]) !== JSON.stringify(mine.document[part]))
      .map((part) => [part, text(theirs.document[part]), text(mine.document[part])] as const),
  ];
  return (
    <div role="alert" className="border-b border-base-300 bg-warning/10 px-4 py-3 text-sm">
      <p className="font-medium">
        Somebody else saved this operation meanwhile: it is at version {theirs.version}, you began from {base?.version}.
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
