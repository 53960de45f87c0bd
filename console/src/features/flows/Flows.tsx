import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { Page } from "../../ui/Layout";
import { useName } from "../../ui/naming";
import { More } from "../../ui/pages";
import { Empty, Heading, Tag, Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { TakeArazzo } from "./Arazzo";
import { useFlowPauses, useFlows, useMakeFlow } from "./flows";

const WAITS: Record<string, string> = {
  time: "for a time",
  callback: "for a request from outside",
  doubt: "for somebody who knows what became of a task",
};

/** All flows, and what runs of them wait for. */
export default function Flows() {
  const { project = "" } = useParams();
  const flows = useFlows(project);
  const pauses = useFlowPauses(project);
  const mayBuild = usePermission(project, "build");
  return (
    <Page title="Flows">
      <ProblemAlert error={flows.error} />
      {mayBuild && <NewFlow project={project} />}
      {flows.isPending && <Waiting what="Reading the flows" />}
      {!flows.isPending && !flows.error && flows.items.length === 0 && (
        <Empty title="There is no flow yet">
          A flow asks several services, one after the other or at once, keeps what succeeds, waits for people, and
          replies once.
        </Empty>
      )}
      <ul className="mb-6 divide-y divide-base-300">
        {flows.items.map((one) => (
          <li key={one.id} className="flex flex-wrap items-baseline gap-x-3 py-2">
            <Link className="link font-medium" to={one.name}>
              {one.title || one.name}
            </Link>
            <span className="font-mono text-xs opacity-75">{one.name}</span>
            {one.problems.length > 0 && <Tag tone="bad">not ready</Tag>}
            {one.document.enabled === false && <Tag tone="bad">disabled</Tag>}
            <span className="text-xs opacity-80">{one.document.description}</span>
          </li>
        ))}
      </ul>
      <More list={flows} what="flows" />
      {pauses.items.length > 0 && (
        <section>
          <Heading>What runs wait for</Heading>
          <ul className="text-sm">
            {pauses.items.map((one) => (
              <li key={`${one.run} ${one.task}`} className="flex flex-wrap gap-x-3 border-b border-base-300 py-1.5">
                <Link className="link" to={`../runs/${one.run}`}>
                  {one.flow}, run {one.run}
                </Link>
                <span className="flex-1">{one.question || `waits ${WAITS[one.kind]}`}</span>
                <span className="text-xs opacity-75">{one.until && `until ${when(one.until)}`}</span>
              </li>
            ))}
          </ul>
          <More list={pauses} what="pauses" />
        </section>
      )}
    </Page>
  );
}

function NewFlow({ project }: { project: string }) {
  const make = useMakeFlow(project);
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const named = useName(project, "flow", title);
  return (
    <form
      className="mb-4 flex flex-wrap items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate({ name: named.name, title }, { onSuccess: (made) => void navigate(made.name) });
      }}
    >
      <input
        className="input input-sm w-64"
        aria-label="What the new flow is called"
        placeholder="what the new flow is called"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <button className="btn btn-sm" disabled={!named.name || make.isPending}>
        Begin a flow
      </button>
      <span className="text-xs opacity-75">{named.words}</span>
      <TakeArazzo project={project} />
      <ProblemAlert error={make.error} />
    </form>
  );
}
