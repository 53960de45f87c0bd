import { useState } from "react";
import { Link, useParams } from "react-router";
import { Page } from "../../ui/Layout";
import { Field, Heading, Tag, Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { useChangeConnection, useCheck, useConnection, useSetSecret } from "./services";

interface CheckResult {
  works: boolean;
  at: string;
  steps: { step: string; is_good: boolean; words: string; hint: string }[];
}

/** One connection: where, how to sign in, and whether it works. */
export default function ConnectionPage() {
  const { project = "", name = "" } = useParams();
  const found = useConnection(project, name);
  const check = useCheck(project, name);
  const change = useChangeConnection(project, name);
  const mayBuild = usePermission(project, "build");
  const [address, setAddress] = useState<string>();
  if (found.isPending) return <Page title={name}><Waiting what="Reading the connection" /></Page>;
  if (found.error) return <Page title={name}><ProblemAlert error={found.error} /></Page>;
  const connection = found.data;
  const signIn = connection.document.sign_in;
  const result = (check.data ?? connection.check_result) as CheckResult | null;
  const isChanged = address !== undefined && address !== connection.document.base_address;
  return (
    <Page
      title={connection.title || connection.name}
      aside={
        <>
          <Tag>{connection.environment}</Tag> <Link className="link text-sm" to="../services">{connection.service}</Link>
        </>
      }
    >
      <div className="grid gap-8 md:grid-cols-2">
        <div>
          <section className="mb-6">
            <Heading>Where it is</Heading>
            <form
              onSubmit={(event) => {
                event.preventDefault();
                change.mutate({ version: connection.version, title: connection.title, document: { ...connection.document, base_address: address } }, { onSuccess: () => setAddress(undefined) });
              }}
            >
              <Field label="Base address" hint={isChanged ? "changed, not saved" : "all operations of the service use it"}>
                {(id) => <input id={id} className="input w-full font-mono text-sm" value={address ?? connection.document.base_address ?? ""} onChange={(e) => setAddress(e.target.value)} readOnly={!mayBuild} />}
              </Field>
              <ProblemAlert error={change.error} />
              {isChanged && <button className="btn btn-primary btn-sm mt-2" disabled={change.isPending}>Save the address</button>}
            </form>
          </section>
          <section>
            <Heading>How to sign in</Heading>
            {signIn?.type === "api_key" ? (
              <>
                <p className="mb-2 text-sm">An API key in the {signIn.place ?? "header"} <code className="font-mono">{signIn.name}</code>, from the credential <code className="font-mono">{connection.credential}</code>.</p>
                {connection.credential && <SecretForm project={project} credential={connection.credential} connection={connection.name} />}
              </>
            ) : (
              <p className="text-sm">The service asks for nothing.</p>
            )}
          </section>
        </div>
        <section aria-live="polite">
          <Heading>Does it work?</Heading>
          {connection.problems.map((one) => (
            <p key={one.message} className="mb-2 border-l-2 border-warning pl-2 text-sm">{one.message}. {one.hint}</p>
          ))}
          {result && (
            <ol className="mb-3 text-sm">
              {result.steps.map((step) => (
                <li key={step.step} className={`border-l-2 py-1 pl-3 ${step.is_good ? "border-success" : "border-error"}`}>
                  <span className="font-medium">{step.step}</span>: {step.words}
                  {step.hint && <p className="opacity-80">{step.hint}</p>}
                </li>
              ))}
            </ol>
          )}
          {result && <p className="mb-3 text-sm"><Tag tone={result.works ? "good" : "bad"}>{result.works ? "works" : "does not work"}</Tag> <span className="opacity-70">checked {when(result.at)}</span></p>}
          {!result && <p className="mb-3 text-sm opacity-80">Not checked yet. The check reaches the base address from where Rondine runs.</p>}
          <ProblemAlert error={check.error} />
          {mayBuild && <button type="button" className="btn btn-primary btn-sm" disabled={check.isPending} onClick={() => check.mutate()}>{check.isPending ? "Checking" : "Check it"}</button>}
          <p className="mt-6 text-sm">
            Next: <Link className="link text-accent" to={`../operations/new?service=${connection.service}`}>describe an operation and try it</Link>
          </p>
        </section>
      </div>
    </Page>
  );
}

function SecretForm({ project, credential, connection }: { project: string; credential: string; connection: string }) {
  const [key, setKey] = useState("");
  const setSecret = useSetSecret(project, credential, connection);
  const may = usePermission(project, "replace_secret");
  if (!may) return null;
  return (
    <form
      autoComplete="off"
      className="flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        setSecret.mutate(key, { onSuccess: () => setKey("") });
      }}
    >
      <div className="flex-1">
        <Field label="New key" hint={setSecret.isSuccess ? "replaced; it is not shown again" : "replaces the present one, which is never shown"}>
          {(id) => <input id={id} className="input w-full" type="password" autoComplete="new-password" data-1p-ignore value={key} onChange={(e) => setKey(e.target.value)} />}
        </Field>
        <ProblemAlert error={setSecret.error} />
      </div>
      <button className="btn btn-sm mb-8" disabled={!key || setSecret.isPending}>Replace</button>
    </form>
  );
}
