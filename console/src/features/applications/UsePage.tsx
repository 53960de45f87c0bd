import { useState } from "react";
import { useParams } from "react-router";
import { Page } from "../../ui/Layout";
import { Empty, Field, Heading, Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Examples } from "./Examples";
import { OwnSignIn } from "./OwnSignIn";
import { TryFlow } from "./TryFlow";
import { TryOperation, TryRecords } from "./TryIt";
import { useOffering, type At, type Offering } from "./use";

/** What a token may use, for who writes the application: no account is needed, the token is. */
export default function UsePage() {
  const { project = "", environment = "" } = useParams();
  const [typed, setTyped] = useState("");
  const [token, setToken] = useState("");
  const [sessions, setSessions] = useState<Record<string, string>>({});
  const at: At = { project, environment, token, sessions };
  const offering = useOffering(at);
  return (
    <div className="min-h-screen bg-base-100 text-base-content">
      <header className="bg-neutral px-4 text-neutral-content">
        <p className="flex items-center gap-2 py-2.5 font-semibold tracking-tight">
          <img src="/assets/swift.svg" alt="" className="size-6" /> rondine
          <span className="font-normal opacity-80">for applications</span>
        </p>
      </header>
      <main>
        <Page title={offering.data ? offering.data.title : `${project}, ${environment}`}>
          {!offering.data && (
            <form
              className="max-w-xl"
              onSubmit={(event) => {
                event.preventDefault();
                setToken(typed.trim());
              }}
            >
              <Field
                label="The application's token"
                hint="An administrator makes it. It stays in this page, and is gone when you leave it."
              >
                {(id) => (
                  <input
                    id={id}
                    type="password"
                    autoComplete="off"
                    className="input w-full font-mono text-xs"
                    value={typed}
                    onChange={(event) => setTyped(event.target.value)}
                  />
                )}
              </Field>
              <ProblemAlert error={offering.error} />
              <button type="submit" className="btn btn-primary btn-sm" disabled={!typed.trim()}>
                Show what it may use
              </button>
              {token && offering.isPending && <Waiting what="Asking" />}
            </form>
          )}
          {offering.data && <Offered at={at} offering={offering.data} onSessions={setSessions} />}
        </Page>
      </main>
    </div>
  );
}

function Offered({
  at,
  offering,
  onSessions,
}: {
  at: At;
  offering: Offering;
  onSessions: (sessions: At["sessions"]) => void;
}) {
  const names = [
    ...offering.operations.map((one) => `operation ${one.name}`),
    ...offering.flows.map((one) => `flow ${one.name}`),
    ...offering.record_types.map((one) => `records ${one.name}`),
  ];
  const [chosen, setChosen] = useState(names[0] ?? "");
  const operation = offering.operations.find((one) => chosen === `operation ${one.name}`);
  const flow = offering.flows.find((one) => chosen === `flow ${one.name}`);
  const type = offering.record_types.find((one) => chosen === `records ${one.name}`);
  const signIn = (operation ?? type)?.sign_in;
  const entry = (key: string, title: string, isWriting = false) => (
    <li key={key}>
      <button
        type="button"
        aria-current={chosen === key}
        className={`w-full border-l-2 py-1 pl-3 text-left text-sm ${chosen === key ? "border-accent font-medium" : "border-transparent opacity-85 hover:opacity-100"}`}
        onClick={() => setChosen(key)}
      >
        {title} {isWriting && <Tag tone="busy">writes</Tag>}
      </button>
    </li>
  );
  if (names.length === 0)
    return <Empty title="Nothing is released to this application">Ask an administrator what it may use.</Empty>;
  return (
    <>
      <p className="-mt-3 mb-5 text-sm opacity-85">
        As {offering.release === null ? "the draft" : `release ${offering.release}`} has it, in {offering.environment}
        {offering.calls_a_minute !== null &&
          `; ${offering.calls_a_minute.toLocaleString()} requests a minute at most`}.{" "}
        <code className="text-xs break-all">{offering.address}</code>
      </p>
      <div className="grid gap-x-8 gap-y-5 md:grid-cols-[14rem_minmax(0,1fr)]">
        <nav aria-label="What it may use">
          {offering.operations.length > 0 && (
            <>
              <Heading>Calls</Heading>
              <ul className="mb-4">
                {offering.operations.map((one) => entry(`operation ${one.name}`, one.title || one.name, one.writes))}
              </ul>
            </>
          )}
          {offering.flows.length > 0 && (
            <>
              <Heading>Flows</Heading>
              <ul className="mb-4">
                {offering.flows.map((one) => entry(`flow ${one.name}`, one.title || one.name, one.writes))}
              </ul>
            </>
          )}
          {offering.record_types.length > 0 && (
            <>
              <Heading>Records</Heading>
              <ul>{offering.record_types.map((one) => entry(`records ${one.name}`, one.title || one.name))}</ul>
            </>
          )}
        </nav>
        <div className="min-w-0">
          {operation && (
            <>
              <h2 className="text-lg font-semibold">{operation.title || operation.name}</h2>
              {operation.description && <p className="mb-2 text-sm">{operation.description}</p>}
              {signIn && <OwnSignIn key={signIn.service} at={at} signIn={signIn} onSessions={onSessions} />}
              <Examples key={chosen} examples={operation.examples} />
              <TryOperation key={`try ${chosen}`} at={at} operation={operation} namesCaller={offering.names_callers} />
            </>
          )}
          {flow && (
            <>
              <h2 className="text-lg font-semibold">{flow.title || flow.name}</h2>
              {flow.description && <p className="mb-2 text-sm">{flow.description}</p>}
              <Examples key={chosen} examples={flow.examples} />
              <TryFlow key={`try ${chosen}`} at={at} flow={flow} namesCaller={offering.names_callers} />
            </>
          )}
          {type && (
            <>
              <h2 className="text-lg font-semibold">{type.title || type.name}</h2>
              {signIn && <OwnSignIn key={signIn.service} at={at} signIn={signIn} onSessions={onSessions} />}
              <Examples key={chosen} examples={type.examples} />
              <TryRecords key={`try ${chosen}`} at={at} type={type} />
            </>
          )}
        </div>
      </div>
    </>
  );
}
