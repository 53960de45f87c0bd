import { useState } from "react";
import { Link, useParams } from "react-router";
import { NotYet, Page } from "../../ui/Layout";
import { Heading, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { WhereUsed } from "../finding/WhereUsed";
import { usePermission } from "../session/session";
import { ConnectionTag } from "./ConnectionTag";
import { OperationList } from "./OperationList";
import { Preparation } from "./Preparation";
import { StandIn } from "./StandIn";
import { UsualForm } from "./UsualForm";
import { useDefinitionsOf, useExportService, useOperationPages, useService, type Service } from "./services";

/** One service: its connections, the definitions it was imported from, and its operations. */
export default function ServicePage() {
  const { project = "", name = "" } = useParams();
  const found = useService(project, name);
  const mayBuild = usePermission(project, "build");
  if (!found.data) return <NotYet title={name} what="Reading the service" error={found.error} />;
  const service = found.data;
  return (
    <Page
      title={service.title || service.name}
      aside={
        <>
          <span className="font-mono text-xs opacity-70">{service.name}</span>
          <OpenApiLink project={project} service={service.name} />
          <Link className="link ml-auto text-sm" to="../services">
            all services
          </Link>
        </>
      }
    >
      {service.document.description && <p className="mb-4 max-w-3xl text-sm">{service.document.description}</p>}
      <Preparation
        project={project}
        service={service}
        isConnected={service.connections.length > 0}
        readOnly={!mayBuild}
      />
      <div className="mt-4 grid gap-6 md:grid-cols-[2fr_3fr]">
        <div>
          <Connections service={service} />
          <Definitions project={project} service={service} />
          {mayBuild && <StandIn project={project} service={service} />}
        </div>
        <Operations project={project} service={service} />
      </div>
      <WhereUsed
        item={{ project, kind: "services", word: "service", name, version: service.version, after: "services" }}
      />
    </Page>
  );
}

function Connections({ service }: { service: Service }) {
  return (
    <section className="mb-6">
      <Heading>Connections</Heading>
      {service.connections.length === 0 && <p className="text-sm opacity-80">It is not connected yet.</p>}
      <ul className="text-sm">
        {service.connections.map((one) => (
          <li key={one.name} className="border-t border-base-300 py-2">
            <Link className="link" to={`../connections/${one.name}`}>
              {one.title || one.name}
            </Link>{" "}
            in {one.environment} <ConnectionTag connection={one} />
            <p className="font-mono text-xs break-all opacity-75">{one.base_address}</p>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Definitions({ project, service }: { project: string; service: Service }) {
  const definitions = useDefinitionsOf(project, service.name);
  if (!service.counts.definitions) return null;
  return (
    <section className="mb-6">
      <Heading>Definitions</Heading>
      <ProblemAlert error={definitions.error} />
      <ul className="text-sm">
        {definitions.data?.map((one) => (
          <li key={one.id} className="border-t border-base-300 py-2">
            <Link className="link" to={`../definitions/${one.name}`}>
              {one.name}
            </Link>{" "}
            <span className="opacity-75">
              {one.document.format}
              {one.document.version && `, version ${one.document.version}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Operations({ project, service }: { project: string; service: Service }) {
  const [search, setSearch] = useState("");
  const operations = useOperationPages(project, { service: service.name, q: search });
  const mayBuild = usePermission(project, "build");
  const count = service.counts.operations ?? 0;
  return (
    <section>
      <Heading
        aside={
          count > 10 && (
            <input
              className="input input-xs w-48"
              type="search"
              aria-label="Search its operations"
              placeholder="Search by name or title"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
          )
        }
      >
        {count} operation{count === 1 ? "" : "s"}
      </Heading>
      {operations.isPending && <Waiting what="Reading the operations" />}
      {search && !operations.isPending && operations.items.length === 0 && (
        <p className="text-sm opacity-80">Nothing is called like that.</p>
      )}
      {mayBuild && (
        <p className="flex flex-wrap gap-x-4 pb-2 text-sm">
          <Link className="link link-hover text-accent" to={`../operations/new?service=${service.name}`}>
            Describe an operation
          </Link>
          <Link className="link link-hover text-accent" to={`../import?service=${service.name}`}>
            Import some
          </Link>
          <UsualForm project={project} service={service.name} />
        </p>
      )}
      <OperationList operations={operations} />
    </section>
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
