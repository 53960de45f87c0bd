import { type ReactNode, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { Problem } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Tag, when } from "../../ui/parts";
import { Advice } from "../../ui/Advice";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { WhereUsed } from "../finding/WhereUsed";
import { useEnvironments, usePermission } from "../session/session";
import { type CheckStep, type ConnectionDocument, useChangeConnection, useCheck, useConnection } from "./connection";
import { EveryRequest } from "./EveryRequest";
import { HowMuch } from "./HowMuch";
import { SignInPart } from "./SignInPart";
import { Where } from "./Where";

type CheckResult = { works: boolean; at: string; by?: string; by_worker?: boolean; steps: CheckStep[] };

/** One connection in its four parts; beside each stands whether it works. */
export default function ConnectionPage() {
  const { project = "", name = "" } = useParams();
  const [query] = useSearchParams();
  const found = useConnection(project, name);
  const check = useCheck(project, name);
  const change = useChangeConnection(project, name);
  const mayBuild = usePermission(project, "build");
  const known = useEnvironments(project);
  const [draft, setDraft] = useState<ConnectionDocument>();
  if (!found.data) return <NotYet title={name} what="Reading the connection" error={found.error} />;
  const connection = found.data;
  const document = draft ?? connection.document;
  const isChanged = draft !== undefined && JSON.stringify(draft) !== JSON.stringify(connection.document);
  const result = connection.check_result as CheckResult | null;
  const steps = result?.steps ?? [];
  const of = (...names: string[]) => steps.filter((one) => names.includes(one.step));
  const problemsAt = (...starts: string[]) =>
    connection.problems.filter((one) => starts.some((start) => one.where.startsWith(start)));
  const stale = change.error instanceof Problem && change.error.code === "changed_meanwhile";
  const save = (over?: ConnectionDocument) =>
    change.mutate(
      { version: connection.version, document: over ?? document },
      { onSuccess: () => setDraft(undefined) },
    );
  return (
    <Page
      title={connection.title || connection.name}
      aside={
        <>
          <Tag>{connection.environment}</Tag>
          <Link className="link text-sm" to={`../services/${connection.service}`}>
            {connection.service}
          </Link>
          {document.enabled === false && <Tag tone="bad">disabled</Tag>}
          {result && <Tag tone={result.works ? "good" : "bad"}>{result.works ? "works" : "does not work"}</Tag>}
          {result && (
            <span className="text-xs opacity-70">
              looked at {when(result.at)} from {result.by_worker ? "a worker" : "the web service"}
            </span>
          )}
          {mayBuild && (
            <span className="ml-auto flex gap-2">
              <button
                type="button"
                className="btn btn-ghost btn-sm"
                disabled={change.isPending}
                onClick={() => save({ ...document, enabled: document.enabled === false })}
              >
                {document.enabled === false ? "Enable" : "Disable"}
              </button>
              <button
                type="button"
                className="btn btn-sm"
                disabled={check.isPending}
                onClick={() => check.mutate("worker")}
              >
                Check from a worker
              </button>
              <button
                type="button"
                className="btn btn-primary btn-sm"
                disabled={check.isPending}
                onClick={() => check.mutate("web")}
              >
                {check.isPending ? "Checking" : "Check it"}
              </button>
            </span>
          )}
        </>
      }
    >
      <ReturnedFromConsent how={query.get("sign-in")} />
      <ProblemAlert error={check.error} />
      {isChanged && (
        <div
          role="status"
          className="sticky top-0 z-10 mb-4 flex flex-wrap items-center gap-3 border-l-2 border-accent bg-base-200 px-3 py-2 text-sm"
        >
          Changed, not saved.
          <button type="button" className="btn btn-primary btn-sm" disabled={change.isPending} onClick={() => save()}>
            Save the connection
          </button>
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => setDraft(undefined)}>
            Discard
          </button>
        </div>
      )}
      {change.error && (
        <ProblemAlert error={change.error}>
          {stale && (
            <button type="button" className="btn btn-sm mt-2" onClick={() => void found.refetch()}>
              Read what is saved; your changes stay here
            </button>
          )}
        </ProblemAlert>
      )}
      <Part
        title="Where"
        steps={of("permission", "resolve", "connect", "TLS", "call")}
        problems={problemsAt("/base_address", "/blanks", "/tls", "/proxy")}
        warnings={connection.warnings.filter((one) => !/^\/(headers|query)/.test(one.where))}
      >
        <Where document={document} readOnly={!mayBuild} onDocument={setDraft} project={project} />
      </Part>
      <Part title="How much" steps={[]} problems={problemsAt("/limits")}>
        <HowMuch document={document} readOnly={!mayBuild} onDocument={setDraft} project={project} name={name} />
      </Part>
      <Part
        title="How to sign in"
        steps={of("sign in")}
        problems={problemsAt("/sign_in", "/credential", "/own_sign_ins")}
      >
        <SignInPart
          document={document}
          readOnly={!mayBuild}
          onDocument={setDraft}
          project={project}
          connection={connection}
          isChanged={isChanged}
          environments={known}
        />
      </Part>
      <Part title="With every request" steps={[]} problems={problemsAt("/headers", "/query")}>
        <EveryRequest
          document={document}
          readOnly={!mayBuild}
          onDocument={setDraft}
          project={project}
          connection={connection}
        />
      </Part>
      <p className="mt-6 text-sm">
        Next:{" "}
        <Link className="link text-accent" to={`../operations/new?service=${connection.service}`}>
          describe an operation and try it
        </Link>
      </p>
      <WhereUsed
        item={{
          project,
          kind: "connections",
          word: "connection",
          name,
          version: connection.version,
          after: `services/${connection.service}`,
        }}
      />
    </Page>
  );
}

/** A part of the connection: its title, its settings, and beside them whether it works. */
function Part({
  title,
  steps,
  problems,
  warnings = [],
  children,
}: {
  title: string;
  steps: CheckStep[];
  problems: { message: string; hint: string }[];
  warnings?: { message: string; hint: string }[];
  children: ReactNode;
}) {
  const isBad = problems.length > 0 || steps.some((one) => !one.is_good);
  const isGood = !isBad && steps.length > 0;
  return (
    <section className="grid gap-x-6 gap-y-2 border-t border-base-300 py-5 lg:grid-cols-[9rem_minmax(0,1fr)_17rem]">
      <h2 className="flex items-baseline gap-2 font-semibold">
        <span
          className={`inline-block size-2 rounded-full ${isBad ? "bg-error" : isGood ? "bg-success" : "bg-base-300"}`}
          aria-hidden
        />
        {title}
      </h2>
      <div className="min-w-0">{children}</div>
      <div className="text-sm" aria-live="polite">
        {problems.map((one) => (
          <Note key={one.message} tone="border-error" words={one.message} hint={one.hint} />
        ))}
        {steps.map((one) => (
          <Note
            key={one.step}
            tone={one.is_good ? "border-success" : "border-error"}
            title={one.step}
            words={one.words}
            hint={one.hint}
            ms={one.ms}
          />
        ))}
        {warnings.map((one) => (
          <Note key={one.message} tone="border-warning" words={one.message} hint={one.hint} />
        ))}
      </div>
    </section>
  );
}

function Note({
  tone,
  title,
  words,
  hint,
  ms,
}: {
  tone: string;
  title?: string;
  words: string;
  hint: string;
  ms?: number | null;
}) {
  return (
    <div className={`mb-2 border-l-2 pl-2 break-words ${tone}`}>
      {title && <span className="font-medium">{title} </span>}
      {ms != null && (
        <span className="float-right text-xs opacity-70">{ms < 10 ? ms.toFixed(1) : Math.round(ms)} ms</span>
      )}
      <span>{words}</span>
      {hint && (
        <p className="text-xs opacity-75">
          <Advice hint={hint} />
        </p>
      )}
    </div>
  );
}

function ReturnedFromConsent({ how }: { how: string | null }) {
  if (how === "done")
    return (
      <p role="status" className="mb-4 border-l-2 border-success pl-2 text-sm">
        You have signed in at the service. Calls go on by themselves from here.
      </p>
    );
  if (how === "refused")
    return (
      <p role="alert" className="mb-4 border-l-2 border-error pl-2 text-sm">
        The service gave no token; what it said stands beside the sign-in.
      </p>
    );
  return null;
}
