import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { Page } from "../../ui/Layout";
import { More } from "../../ui/pages";
import { Empty, Heading, Waiting } from "../../ui/parts";
import { usePermission } from "../session/session";
import { ConnectForm } from "./ConnectForm";
import { ConnectionTag } from "./ConnectionTag";
import { OperationList } from "./OperationList";
import { useOperationPages, useServicePages, type Service } from "./services";

/** All outside services, each with how its connections are; a search finds operations too. */
export default function Services() {
  const { project = "" } = useParams();
  const [query] = useSearchParams();
  const [search, setSearch] = useState("");
  const [isAdding, setAdding] = useState(false);
  const services = useServicePages(project, search);
  const mayBuild = usePermission(project, "build");
  const isEmpty = !services.isPending && !services.error && services.items.length === 0;
  return (
    <Page
      title="Services"
      aside={
        <>
          {(!isEmpty || search) && (
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
      {services.isPending && <Waiting what="Reading the services" />}
      {isEmpty && !isAdding && !search && (
        <Empty title="No service is connected yet">
          Say where a service is and how to sign in. For the demo: the tree register, whose address and key ./start
          printed; or run <code className="font-mono">rondine guide</code>.
        </Empty>
      )}
      {isEmpty && search && <p className="text-sm opacity-80">No service is called like that.</p>}
      {services.items.length > 0 && (
        <table className="w-full text-sm">
          <thead>
            <tr className="border-b border-base-300 text-left text-xs text-secondary">
              <th className="py-1 pr-4 font-medium">service</th>
              <th className="pr-4 font-medium">connections</th>
              <th className="pr-4 text-right font-medium">operations</th>
              <th className="text-right font-medium">definitions</th>
            </tr>
          </thead>
          <tbody>
            {services.items.map((one) => (
              <Row key={one.id} service={one} />
            ))}
          </tbody>
        </table>
      )}
      <More list={services} what="services" />
      {search && <FoundOperations project={project} search={search} />}
    </Page>
  );
}

function Row({ service }: { service: Service }) {
  return (
    <tr className="border-b border-base-300 align-top">
      <td className="py-2 pr-4">
        <Link className="link font-medium" to={service.name}>
          {service.title || service.name}
        </Link>
        <p className="font-mono text-xs opacity-70">{service.name}</p>
      </td>
      <td className="py-2 pr-4">
        {service.connections.length === 0 && <span className="opacity-70">not connected</span>}
        {service.connections.map((one) => (
          <Link
            key={one.name}
            className="mr-3 inline-flex items-center gap-1.5 hover:underline"
            to={`../connections/${one.name}`}
          >
            {one.environment} <ConnectionTag connection={one} />
          </Link>
        ))}
      </td>
      <td className="py-2 pr-4 text-right tabular-nums">{service.counts.operations ?? 0}</td>
      <td className="py-2 text-right tabular-nums">{service.counts.definitions ?? 0}</td>
    </tr>
  );
}

function FoundOperations({ project, search }: { project: string; search: string }) {
  const found = useOperationPages(project, { q: search });
  return (
    <section className="mt-8">
      <Heading>Operations</Heading>
      {found.isPending && <Waiting what="Searching the operations" />}
      {!found.isPending && !found.error && found.items.length === 0 && (
        <p className="text-sm opacity-80">No operation is called like that.</p>
      )}
      <OperationList operations={found} withService />
    </section>
  );
}
