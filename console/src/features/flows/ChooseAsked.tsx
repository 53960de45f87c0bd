import { useState } from "react";
import { More } from "../../ui/pages";
import { useOperationPages, useServicePages } from "../services/services";
import { useFlows } from "./flows";

/** What a step asks: the service first, then one of its operations; or another flow. */
export function ChooseAsked({
  project,
  own,
  onChoose,
}: {
  project: string;
  /** The flow itself, which it must not ask. */
  own: string;
  onChoose: (asked: { operation: string } | { flow: string }) => void;
}) {
  const services = useServicePages(project, "");
  const flows = useFlows(project);
  const [service, setService] = useState("");
  const [search, setSearch] = useState("");
  return (
    <div className="my-1 rounded-field border border-base-300 p-2 text-xs" role="group" aria-label="What it asks">
      <div className="flex flex-wrap gap-2">
        <select
          className="select select-xs w-44"
          aria-label="Service"
          value={service}
          onChange={(e) => setService(e.target.value)}
        >
          <option value="">any service</option>
          {services.items.map((one) => (
            <option key={one.name} value={one.name}>
              {one.title || one.name}
            </option>
          ))}
          {flows.items.length > 1 && <option value={FLOWS}>another flow</option>}
        </select>
        <input
          type="search"
          className="input input-xs w-52"
          aria-label="Search operations"
          placeholder="part of a name or title"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      </div>
      {service === FLOWS ? (
        <div className="mt-1 max-h-52 overflow-y-auto">
          {flows.items
            .filter(
              (one) => one.name !== own && `${one.name} ${one.title}`.toLowerCase().includes(search.toLowerCase()),
            )
            .map((one) => (
              <Choice key={one.name} title={one.title} name={one.name} onChoose={() => onChoose({ flow: one.name })} />
            ))}
        </div>
      ) : (
        <Operations
          project={project}
          service={service}
          search={search}
          onChoose={(operation) => onChoose({ operation })}
        />
      )}
    </div>
  );
}

/** In place of a service's name; names begin with a letter. */
const FLOWS = "*";

function Operations({
  project,
  service,
  search,
  onChoose,
}: {
  project: string;
  service: string;
  search: string;
  onChoose: (name: string) => void;
}) {
  const found = useOperationPages(project, { q: search, service: service || undefined });
  return (
    <div className="mt-1 max-h-52 overflow-y-auto">
      {found.items.map((one) => (
        <Choice
          key={one.name}
          title={one.title}
          name={one.name}
          aside={service ? "" : one.service}
          onChoose={() => onChoose(one.name)}
        />
      ))}
      {!found.isPending && found.items.length === 0 && <p>No operation has that in its name or title.</p>}
      <More list={found} what="operations" />
    </div>
  );
}

function Choice({
  title,
  name,
  aside,
  onChoose,
}: {
  title: string;
  name: string;
  aside?: string;
  onChoose: () => void;
}) {
  return (
    <button
      type="button"
      className="flex w-full cursor-pointer gap-2 rounded-selector px-1 py-0.5 text-left hover:bg-base-200"
      onClick={onChoose}
    >
      <span>{title || name}</span>
      <span className="font-mono opacity-75">{name}</span>
      <span className="ml-auto opacity-75">{aside}</span>
    </button>
  );
}
