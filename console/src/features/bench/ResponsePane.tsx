import { useMemo, useState } from "react";
import { Empty, Heading, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useKeepSample, useLookAt } from "./responses";
import { type OperationDocument, type Trial } from "./bench";
import { BodyText } from "./BodyText";
import { CompareWith } from "./CompareWith";
import { useBench } from "./context";
import { DescribedBy } from "./DescribedBy";
import { Otherwise } from "./Otherwise";
import { Outcome } from "./Outcome";
import { PasteResponse } from "./PasteResponse";
import { mapsIn } from "./paths";
import { SchemaTable } from "./SchemaTable";
import { SaveFile, Tabs } from "./Tabs";
import { Tree } from "./Tree";

const VIEWS = ["tree", "schema", "text", "headers", "compare"] as const;
type View = (typeof VIEWS)[number];

/** The middle: what came back, as tree, schema, text and headers. */
export function ResponsePane() {
  const { draft, change, trial: sending } = useBench();
  const [view, setView] = useState<View>("tree");
  const { response, document } = draft;
  if (sending.isPending)
    return (
      <div className="p-3">
        <Heading>Response</Heading>
        <Waiting what="Waiting for the service" />
      </div>
    );
  if (!response)
    return (
      <div className="p-3">
        <Heading aside={<Samples />}>Response</Heading>
        <Empty title="Nothing was sent yet">
          Fill the inputs on the left, look at the request, and send it. What comes back stands here.
        </Empty>
        <PasteResponse />
      </div>
    );
  const foundNothing = () => {
    const nothing_found = { ...document.outcomes?.nothing_found, statuses: [404] };
    const outcomes = { ...document.outcomes, nothing_found };
    change({ type: "set", to: { document: { ...document, outcomes } } });
  };
  return (
    <div className="flex flex-col p-3 lg:h-full lg:min-h-0">
      <Heading aside={<Samples />}>Response</Heading>
      <Outcome trial={response} onNothingFound={foundNothing}>
        <Otherwise />
      </Outcome>
      {response.outcome && (
        <>
          <Kept view={view} onView={setView} />
          <Shown response={response} view={view} />
        </>
      )}
    </div>
  );
}

/** The views, and what can be done with the response. */
function Kept({ view, onView }: { view: View; onView: (view: View) => void }) {
  const { project, draft, change, named } = useBench();
  const { response, item, keptSample } = draft;
  const keep = useKeepSample(project);
  const name = `${item?.name ?? (named.name || "sample")}-${response?.run}`;
  return (
    <>
      <Tabs views={VIEWS} view={view} onView={onView}>
        {response?.body && response.outcome?.is_good && (
          <>
            {keptSample ? (
              `kept as ${keptSample}`
            ) : (
              <button
                type="button"
                className="link"
                onClick={() =>
                  keep.mutate(
                    { name, run: response.run, operation: item?.name ?? null },
                    { onSuccess: (made) => change({ type: "kept", sample: made.name }) },
                  )
                }
              >
                keep as sample
              </button>
            )}
            {" · "}
            <SaveFile project={project} body={response.body} />
          </>
        )}
      </Tabs>
      <ProblemAlert error={keep.error} />
    </>
  );
}

/** The response in one of its views. */
function Shown({ response, view }: { response: Trial; view: View }) {
  const { project, draft } = useBench();
  const { body } = response;
  if (view === "headers")
    return (
      <dl className="overflow-auto font-mono text-xs">
        {response.call.headers.map(([name, value], number) => (
          <div key={number} className="grid grid-cols-[9rem_1fr] gap-2 border-b border-base-300 py-1">
            <dt className="text-secondary">{name}</dt>
            <dd className="break-all">{value}</dd>
          </div>
        ))}
      </dl>
    );
  if (!body) return <p className="text-sm opacity-80">The response has no body.</p>;
  if (view === "compare") return <CompareWith project={project} body={body} before={draft.bodyBefore} />;
  if (view === "text") return <BodyText project={project} body={body} />;
  if (response.unreadable)
    return (
      <div className="text-sm">
        <p className="mb-2 border-l-4 border-warning px-3 py-1">{response.unreadable}</p>
        <BodyText project={project} body={body} />
      </div>
    );
  return view === "schema" ? <SchemaView /> : <BenchTree body={body} />;
}

function SchemaView() {
  const { project, draft, change, sampleCount } = useBench();
  return (
    <div className="min-h-0 overflow-auto">
      <DescribedBy
        project={project}
        document={draft.document}
        onDocument={(document: OperationDocument) => change({ type: "set", to: { document } })}
      />
      {sampleCount > 1 && (
        <p className="mb-1 text-xs opacity-80">
          Over this response and {sampleCount === 2 ? "a sample" : `${sampleCount - 1} samples`} of the operation.
        </p>
      )}
      <SchemaTable />
    </div>
  );
}

/** The response as a tree whose values become fields. */
function BenchTree({ body }: { body: string }) {
  const { project, draft, change, lines, chooseRows } = useBench();
  const maps = useMemo(() => mapsIn(lines), [lines]);
  return (
    <Tree
      key={body}
      project={project}
      body={body}
      taking={{
        lines,
        maps,
        plan: draft.plan,
        onTake: (path, as, convert) => change({ type: "take", path, as, convert }),
        onLeave: (field) => change({ type: "leave", field }),
        onRows: chooseRows,
      }}
    />
  );
}

/** The kept samples, each to be looked at in place of the response. */
function Samples() {
  const { project, draft, samples, receive } = useBench();
  const looked = useLookAt(project);
  if (samples.length === 0) return null;
  const shown = draft.response?.body;
  return (
    <select
      className="select select-ghost select-xs w-auto max-w-56"
      aria-label="Look at a kept sample"
      value={samples.some((one) => one.body === shown) ? shown! : ""}
      onChange={(e) => {
        const chosen = samples.find((one) => one.body === e.target.value);
        if (chosen) looked.mutate(chosen, { onSuccess: (made) => receive(made, chosen.name) });
      }}
    >
      <option value="">{samples.length === 1 ? "a sample is kept" : `${samples.length} samples are kept`}</option>
      {samples.map((one) => (
        <option key={one.name} value={one.body}>
          {one.title || one.name}
        </option>
      ))}
    </select>
  );
}
