import { useState } from "react";
import { Link, useParams } from "react-router";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Heading, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { ApplicationForm } from "./ApplicationForm";
import { useApplications, useOffer, useRemoveApplication, type Application } from "./applications";
import { AppTokens } from "./AppTokens";
import { SignedInUsers } from "./SignedInUsers";
import { Usage } from "./Usage";

/** Programs that use what an environment has: what each may use, its tokens, and how much it used. */
export default function Applications() {
  const { project = "" } = useParams();
  const applications = useApplications(project);
  const mayAdminister = usePermission(project, "administer");
  const [isMaking, setMaking] = useState(false);
  if (!applications.data)
    return <NotYet title="Applications" what="Reading the applications" error={applications.error} />;
  const items = applications.data;
  return (
    <Page
      title="Applications"
      aside={
        mayAdminister && !isMaking ? (
          <button type="button" className="btn btn-sm" onClick={() => setMaking(true)}>
            New application
          </button>
        ) : undefined
      }
    >
      {isMaking && <ApplicationForm project={project} item={null} onDone={() => setMaking(false)} />}
      {items.length === 0 && !isMaking && (
        <Empty title="No application uses this project yet">
          An application is a program that calls operations, runs flows and reads records of one environment, by a token
          of its own.
          {mayAdminister ? " Make one, and give it a token." : " An administrator makes one."}
        </Empty>
      )}
      {items.map((item) => (
        <OneApplication key={item.id} project={project} item={item} mayAdminister={mayAdminister} />
      ))}
    </Page>
  );
}

function OneApplication({
  project,
  item,
  mayAdminister,
}: {
  project: string;
  item: Application;
  mayAdminister: boolean;
}) {
  const remove = useRemoveApplication(project);
  const [isOpen, setOpen] = useState(false);
  const { document } = item;
  return (
    <section className="mb-10">
      <div className="mb-2 flex flex-wrap items-center gap-2 border-b border-base-300 pb-1">
        <h2 className="text-lg font-semibold">{item.title || item.name}</h2>
        <Tag>{item.environment}</Tag>
        {document?.may_write ? <Tag tone="busy">may write</Tag> : <Tag>reads only</Tag>}
        {document?.enabled === false && <Tag tone="bad">disabled</Tag>}
        {document?.calls_a_minute && <Tag>{document.calls_a_minute.toLocaleString()} requests a minute</Tag>}
        <span className="text-xs opacity-80">{item.used_at ? `last used ${when(item.used_at)}` : "never used"}</span>
        <span className="ml-auto flex gap-2">
          <Link className="btn btn-ghost btn-xs" to={`/use/${project}/${item.environment}`}>
            For its developer
          </Link>
          {mayAdminister && !isOpen && (
            <>
              <button type="button" className="btn btn-ghost btn-xs" onClick={() => setOpen(true)}>
                Change
              </button>
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                disabled={remove.isPending}
                onClick={() => remove.mutate(item)}
              >
                Remove
              </button>
            </>
          )}
        </span>
      </div>
      {document?.description && <p className="mb-2 text-sm">{document.description}</p>}
      {item.problems.map((problem) => (
        <p key={problem.where + problem.message} className="mb-2 border-l-2 border-warning pl-2 text-sm">
          {problem.message}. {problem.hint}
        </p>
      ))}
      <ProblemAlert error={remove.error} />
      {isOpen ? (
        <ApplicationForm project={project} item={item} onDone={() => setOpen(false)} />
      ) : (
        <div className="grid gap-x-10 gap-y-4 lg:grid-cols-2">
          <div>
            <Heading>What it may use</Heading>
            <OfferOf project={project} item={item} />
            <div className="mt-4">
              <Heading>Tokens</Heading>
              <AppTokens project={project} application={item.name} mayAdminister={mayAdminister} />
            </div>
            <SignedInUsers project={project} application={item.name} mayAdminister={mayAdminister} />
          </div>
          <div>
            <Heading>What it used</Heading>
            <Usage project={project} application={item.name} />
          </div>
        </div>
      )}
    </section>
  );
}

/** As the environment goes by it now. */
function OfferOf({ project, item }: { project: string; item: Application }) {
  const offer = useOffer(project, item.name);
  if (!offer.data) return <ProblemAlert error={offer.error} />;
  const { operations, flows, record_types: types, goes_by: goesBy } = offer.data;
  const rule = item.document?.callers;
  return (
    <div className="text-sm">
      <p>
        {operations.length > 0 ? "Calls " : "Calls nothing"}
        {operations.map((one, at) => (
          <span key={one.name}>
            {at > 0 && ", "}
            <Link className="link" to={`/p/${project}/operations/${one.name}`}>
              {one.title || one.name}
            </Link>
          </span>
        ))}
        .
      </p>
      {flows.length > 0 && (
        <p>
          Runs the flows{" "}
          {flows.map((one, at) => (
            <span key={one.name}>
              {at > 0 && ", "}
              <Link className="link" to={`/p/${project}/flows/${one.name}`}>
                {one.title || one.name}
              </Link>
            </span>
          ))}
          .
        </p>
      )}
      <p>
        {types.length > 0 ? "Reads records of " : "Reads no records"}
        {types.map((one, at) => (
          <span key={one.name}>
            {at > 0 && ", "}
            <Link className="link" to={`/p/${project}/records/${one.name}`}>
              {one.title || one.name}
            </Link>
          </span>
        ))}
        .
      </p>
      {rule && (
        <p>
          Only for users whose {rule.record_type} has {rule.field}: {rule.values.join(" or ")}.
        </p>
      )}
      <p className="mt-1 text-xs opacity-80">
        As {goesBy} has it, which {item.environment} goes by.
      </p>
    </div>
  );
}
