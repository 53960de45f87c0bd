import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { Page } from "../../ui/Layout";
import { Empty, Field, Heading, Tag, Waiting } from "../../ui/parts";
import { useName } from "../../ui/naming";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironments, usePermission } from "../session/session";
import { Preparation } from "./Preparation";
import { UsualForm } from "./UsualForm";
import { useConnect, useExportService, useServices } from "./services";

/** All outside services with their connections and operations. */
export default function Services() {
  const { project = "" } = useParams();
  const [query] = useSearchParams();
  const [search, setSearch] = useState("");
  const [isAdding, setAdding] = useState(false);
  const found = useServices(project);
  const mayBuild = usePermission(project, "build");
  if (found.isPending)
    return (
      <Page title="Services">
        <Waiting what="Reading the services" />
      </Page>
    );
  if (found.error)
    return (
      <Page title="Services">
        <ProblemAlert error={found.error} />
      </Page>
    );
  const { services, connections, operations, definitions } = found.data;
  const fits = (one: { name: string; title: string }) =>
    `${one.name} ${one.title}`.toLowerCase().includes(search.toLowerCase());
  const shown = services.filter(
    (service) => fits(service) || operations.some((one) => one.service === service.name && fits(one)),
  );
  return (
    <Page
      title="Services"
      aside={
        <>
          {services.length > 0 && (
            <input
              className="input input-sm w-56"
              type="search"
              aria-label="Search services and operations"
              placeholder="Search by name or title"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
          )}
          {mayBuild && !isAdding && (
            <span className="ml-auto flex flex-wrap justify-end gap-2">
              <Link className="btn btn-ghost btn-sm" to="../queries">
                Prepared queries
              </Link>
              <Link className="btn btn-sm" to="../operations/new">
                Try an address
              </Link>
              <Link className="btn btn-sm" to="../import">
                Import a definition
              </Link>
              <button type="button" className="btn btn-primary btn-sm" onClick={() => setAdding(true)}>
                Connect a service
              </button>
            </span>
          )}
        </>
      }
    >
      {query.get("sign-in") === "unknown" && (
        <p role="alert" className="mb-4 border-l-2 border-error pl-2 text-sm">
          The answer of the service belongs to no sign-in that you have begun here, or it came too late. Begin again on
          the connection's page.
        </p>
      )}
      {isAdding && <ConnectForm project={project} onClose={() => setAdding(false)} />}
      {services.length === 0 && !isAdding && (
        <Empty title="No service is connected yet">
          Say where a service is and how to sign in. For the demo: the tree register, whose address and key ./start
          printed; or run <code className="font-mono">rondine guide</code>.
        </Empty>
      )}
      {services.length > 0 && shown.length === 0 && <p className="text-sm opacity-80">Nothing is called like that.</p>}
      {shown.map((service) => (
        <section key={service.id} className="mb-8">
          <Heading
            aside={
              <>
                <span className="font-mono text-xs opacity-70">{service.name}</span>{" "}
                <OpenApiLink project={project} service={service.name} />
              </>
            }
          >
            {service.title || service.name}
          </Heading>
          <Preparation
            project={project}
            service={service}
            isConnected={connections.some((one) => one.service === service.name)}
            readOnly={!mayBuild}
          />
          <div className="grid gap-4 md:grid-cols-[2fr_3fr]">
            <div>
              <h3 className="mb-1 text-sm font-medium">Connections</h3>
              <ul className="text-sm">
                {connections
                  .filter((one) => one.service === service.name)
                  .map((one) => (
                    <li key={one.id} className="border-t border-base-300 py-2">
                      <Link className="link" to={`../connections/${one.name}`}>
                        {one.title || one.name}
                      </Link>{" "}
                      <Tag>{one.environment}</Tag>{" "}
                      {one.document.enabled === false && (
                        <>
                          <Tag tone="bad">disabled</Tag>{" "}
                        </>
                      )}
                      {one.problems.length > 0 ? <Tag tone="bad">not ready</Tag> : worksTag(one.check_result)}
                      <p className="font-mono text-xs break-all opacity-75">{one.document.base_address}</p>
                    </li>
                  ))}
              </ul>
            </div>
            <div>
              {definitions
                .filter((one) => one.service === service.name)
                .map((one) => (
                  <p key={one.id} className="mb-2 text-sm">
                    Definition{" "}
                    <Link className="link" to={`../definitions/${one.name}`}>
                      {one.name}
                    </Link>{" "}
                    <span className="opacity-75">
                      {one.document.format}
                      {one.document.version && `, version ${one.document.version}`}
                    </span>
                  </p>
                ))}
              <h3 className="mb-1 text-sm font-medium">Operations</h3>
              <ul className="text-sm">
                {operations
                  .filter((one) => one.service === service.name)
                  .map((one) => (
                    <li key={one.id} className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-2">
                      <Link className="link" to={`../operations/${one.name}`}>
                        {one.title || one.name}
                      </Link>
                      <span className="font-mono text-xs opacity-75">{calledAs(one.document)}</span>
                      {one.problems.length > 0 && <Tag tone="bad">not ready</Tag>}
                    </li>
                  ))}
                {mayBuild && (
                  <li className="flex flex-wrap gap-x-4 border-t border-base-300 py-2">
                    <Link className="link link-hover text-accent" to={`../operations/new?service=${service.name}`}>
                      Describe an operation
                    </Link>
                    <Link className="link link-hover text-accent" to={`../import?service=${service.name}`}>
                      Import some
                    </Link>
                    <UsualForm project={project} service={service.name} />
                  </li>
                )}
              </ul>
            </div>
          </div>
        </section>
      ))}
    </Page>
  );
}

/** Saves the service as an OpenAPI document. */
function OpenApiLink({ project, service }: { project: string; service: string }) {
  const save = useExportService(project, service);
  return (
    <>
      <button type="button" className="link text-xs" disabled={save.isPending} onClick={() => save.mutate()}>
        save as OpenAPI
      </button>
      {save.data && save.data.unsaid.length > 0 && (
        <span className="text-xs" title={save.data.unsaid.map((one) => `${one.where}: ${one.message}`).join("\n")}>
          {save.data.unsaid.length} things it cannot say
        </span>
      )}
      {save.error && <span className="text-xs text-error">{save.error.message}</span>}
    </>
  );
}

/**
 * How an operation is told from others: by method and path, or, where many share an address, by what its definition
 * calls it.
 */
function calledAs(document: Schemas["OperationDocument"]): string {
  const key = document.came_from?.key;
  if (key && (document.odata || document.body?.type === "graphql" || document.body?.type === "soap")) return key;
  return `${document.method ?? "GET"} ${document.path ?? "/"}`;
}

function worksTag(result: unknown) {
  if (typeof result !== "object" || result === null || !("works" in result)) return <Tag>not checked</Tag>;
  return result.works ? <Tag tone="good">works</Tag> : <Tag tone="bad">does not work</Tag>;
}

function ConnectForm({ project, onClose }: { project: string; onClose: () => void }) {
  const environments = useEnvironments(project);
  const [given, setGiven] = useState({ title: "", address: "", environment: "test", header: "", key: "" });
  const connect = useConnect(project);
  const navigate = useNavigate();
  const set = (name: keyof typeof given) => (event: { target: { value: string } }) =>
    setGiven({ ...given, [name]: event.target.value });
  const named = useName(project, "service", given.title);
  const service = named.name;
  const isPlain = /^http:\/\//i.test(given.address) && !/^http:\/\/(127\.|localhost|\[::1\])/i.test(given.address);
  return (
    <form
      className="mb-8 max-w-2xl rounded-box border border-base-300 bg-base-200 p-4"
      autoComplete="off"
      onSubmit={(event) => {
        event.preventDefault();
        connect.mutate(
          { ...given, service },
          { onSuccess: (made) => navigate(`/p/${project}/connections/${made.name}`) },
        );
      }}
    >
      <Heading>Where it is</Heading>
      <div className="grid gap-x-4 sm:grid-cols-2">
        <Field label="What the service is called" hint={named.words}>
          {(id) => (
            <input
              id={id}
              className="input w-full"
              placeholder="Tree register"
              value={given.title}
              onChange={set("title")}
              required
            />
          )}
        </Field>
        <Field label="Environment">
          {(id) => (
            <select id={id} className="select w-full" value={given.environment} onChange={set("environment")}>
              {environments.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <Field
        label="Base address"
        hint="scheme, host, port, and the path all its operations share"
        problem={isPlain ? "http is not encrypted: whoever listens on the way reads the key" : undefined}
      >
        {(id) => (
          <input
            id={id}
            className="input w-full font-mono text-sm"
            placeholder="https://register.example/v1"
            value={given.address}
            onChange={set("address")}
            required
          />
        )}
      </Field>
      <Heading>How to sign in</Heading>
      <div className="grid gap-x-4 sm:grid-cols-2">
        <Field
          label="Header that carries the API key"
          hint="leave it empty if it asks for nothing, or signs in another way: all other ways are on the next page"
        >
          {(id) => (
            <input
              id={id}
              className="input w-full font-mono text-sm"
              placeholder="X-Register-Key"
              value={given.header}
              onChange={set("header")}
            />
          )}
        </Field>
        {given.header && (
          <Field label="API key" hint="kept encrypted, never shown again">
            {(id) => (
              <input
                id={id}
                className="input w-full"
                type="password"
                autoComplete="new-password"
                data-1p-ignore
                value={given.key}
                onChange={set("key")}
              />
            )}
          </Field>
        )}
      </div>
      <ProblemAlert error={connect.error} />
      <div className="mt-3 flex gap-2">
        <button className="btn btn-primary btn-sm" disabled={connect.isPending || !service}>
          {connect.isPending ? "Connecting" : "Make the connection"}
        </button>
        <button type="button" className="btn btn-ghost btn-sm" onClick={onClose}>
          Leave it
        </button>
      </div>
    </form>
  );
}
