import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { Problem } from "../../api/client";
import { written } from "../../ui/json/format";
import JsonEditor from "../../ui/json/JsonEditor";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { WhereUsed } from "../finding/WhereUsed";
import { usePermission } from "../session/session";
import { WhileItShows } from "../../ui/WhileItShows";
import { Steps } from "./Steps";
import type { Document } from "./words";
import { useFlowRun } from "../runs/flowRuns";
import { useRun } from "../runs/runs";
import { SaveAsArazzo } from "./Arazzo";
import { Findings, RunFlow } from "./RunFlow";
import { Stepping, StepValues } from "./Stepping";
import { useFlow, useFlowSchema, useSaveFlow, type Flow } from "./flows";

/** One flow: its text with what is wrong where, and a run of it with inputs. */
export default function FlowPage() {
  const { project = "", name = "" } = useParams();
  const found = useFlow(project, name);
  if (!found.data) return <NotYet title={name} what="Reading the flow" error={found.error} />;
  return <Editing key={name} project={project} current={found.data} />;
}

/** current: as it is saved now. What is typed here is kept whatever is saved meanwhile, here or elsewhere. */
function Editing({ project, current }: { project: string; current: Flow }) {
  const [flow, setFlow] = useState(current);
  const schema = useFlowSchema(project);
  const [query, setQuery] = useSearchParams();
  const beside = Number(query.get("run"));
  const run = useRun(project, beside);
  const shown = useFlowRun(project, run.data);
  const isReady = beside === 0 || !run.isPending;
  const [from, setFrom] = useState("");
  const [opened, setOpened] = useState<string | null>(null);
  const save = useSaveFlow(project, flow.name);
  const mayBuild = usePermission(project, "build");
  const mayRun = usePermission(project, "run");
  const [text, setText] = useState(() => written(flow.document));
  const [lit, setLit] = useState<string | null>(null);
  // a text that moves on its own account would slip from under the pointer
  const [sought, setSought] = useState<string | null>(null);
  const pointInText = (pointer: string | null) => {
    setLit(pointer);
    setSought(null);
  };
  const seek = (pointer: string) => {
    setLit(pointer);
    setSought(pointer);
  };
  const read = parsed(text);
  // what is typed shows in the steps when it is a flow again
  const [readable, setReadable] = useState<Document | null>(flow.document);
  if (isFlow(read.value) && JSON.stringify(read.value) !== JSON.stringify(readable)) setReadable(read.value);
  const refused = save.error instanceof Problem ? save.error.document : undefined;
  const wrong = refused ? (refused.problems.length ? refused.problems : [{ where: refused.where, message: "" }]) : [];
  const take = (saved: Flow) => {
    setFlow(saved);
    setText(written(saved.document));
  };
  const saved = (sent: string) => (saved: Flow) => {
    setFlow(saved);
    setText((now) => (now === sent ? written(saved.document) : now));
  };
  const isChanged = JSON.stringify(read.value) !== JSON.stringify(flow.document);
  const isOlder = flow.version < current.version && !save.isPending;
  if (isOlder && !isChanged) take(current);
  return (
    <Page
      title={flow.title || flow.name}
      aside={
        <>
          <span className="font-mono text-xs opacity-75">
            {flow.name}, version {flow.version}
          </span>
          {flow.problems.length > 0 && <Tag tone="bad">not ready</Tag>}
          <SaveAsArazzo project={project} name={flow.name} />
          <Link className="link ml-auto text-sm" to={`/p/${project}/flows`}>
            all flows
          </Link>
        </>
      }
    >
      <div className="grid gap-6 lg:grid-cols-[3fr_2fr]">
        <div className="min-w-0">
          {readable && (
            <section className="mb-4">
              <Heading>Steps</Heading>
              <WhileItShows of={JSON.stringify(readable)}>
                <Steps
                  project={project}
                  document={readable}
                  findings={[...flow.problems, ...flow.warnings]}
                  lit={lit}
                  onPoint={seek}
                  opened={opened}
                  editing={
                    mayBuild
                      ? {
                          isLocked: !read.value,
                          project,
                          name: flow.name,
                          document: readable,
                          onDocument: (made) => {
                            setReadable(made);
                            setText(written(made));
                          },
                          onOpened: setOpened,
                          seen: {
                            inputs: run.data?.inputs ?? {},
                            results: (shown.data?.results ?? {}) as Record<string, unknown>,
                          },
                        }
                      : undefined
                  }
                  values={
                    run.data && shown.data
                      ? (step) => <StepValues step={step} shown={shown.data} onFrom={mayRun ? setFrom : undefined} />
                      : undefined
                  }
                />
              </WhileItShows>
            </section>
          )}
          <Heading>The same as text</Heading>
          <JsonEditor
            label="The flow as text"
            text={text}
            readOnly={!mayBuild}
            completion={{ schema: schema.data, known: () => [] }}
            problems={[
              ...flow.problems,
              ...wrong.map((one) => ({ ...one, where: one.where.replace(/^\/document/, "") })),
            ]}
            lit={lit}
            sought={sought}
            onText={setText}
            onPoint={pointInText}
          />
          {isOlder && (
            <p role="status" className="mt-1 border-l-4 border-warning pl-2 text-xs">
              Somebody has saved version {current.version} meanwhile, and this is written over version {flow.version}.{" "}
              <button type="button" className="link" onClick={() => take(current)}>
                Take theirs; yours is gone then
              </button>
            </p>
          )}
          {read.problem && <p className="mt-1 border-l-4 border-warning pl-2 text-xs">Not JSON yet: {read.problem}</p>}
          <ProblemAlert error={save.error} />
          {mayBuild && (
            <button
              type="button"
              className="btn btn-primary btn-sm mt-2"
              disabled={save.isPending || !read.value || !isChanged}
              onClick={() =>
                read.value && save.mutate({ version: flow.version, document: read.value }, { onSuccess: saved(text) })
              }
            >
              {save.isPending ? "Saving" : "Save"}
            </button>
          )}
        </div>
        <div>
          {run.data && (
            <Stepping
              project={project}
              run={run.data}
              shown={shown.data}
              isOther={!!shown.data && JSON.stringify(shown.data.document) !== JSON.stringify(flow.document)}
              mayRun={mayRun}
              onLeave={() => setQuery({})}
            />
          )}
          <ProblemAlert error={run.error ?? shown.error} />
          {mayRun && isReady && (
            <RunFlow
              key={flow.version}
              project={project}
              flow={flow}
              beside={run.data}
              from={from}
              onFrom={setFrom}
              isChanged={isChanged}
              onBeside={(id) => setQuery({ run: String(id) })}
              onPoint={seek}
            />
          )}
          <Findings title="It cannot run" of={flow.problems} tone="border-error" onPoint={seek} />
          <Findings title="Look at this" of={flow.warnings} tone="border-warning" onPoint={seek} />
        </div>
      </div>
      <WhereUsed
        item={{ project, kind: "flows", word: "flow", name: flow.name, version: flow.version, after: "flows" }}
      />
    </Page>
  );
}

/** Whether a value has the shape of a flow, as far as the steps show it. */
function isFlow(value: unknown): value is Document {
  const steps = (value as Document | null)?.steps;
  return Array.isArray(steps) && steps.every((one) => typeof one?.name === "string" && KINDS.includes(one.type));
}

const KINDS = ["ask", "records", "decide", "pause", "end"];

/** The text as a document, or why it is none. */
function parsed(text: string): { value: unknown; problem: string } {
  try {
    return { value: JSON.parse(text), problem: "" };
  } catch (error) {
    return { value: null, problem: (error as Error).message };
  }
}
