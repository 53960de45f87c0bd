import { useState } from "react";
import { More } from "../../ui/pages";
import { useOperationPages, useServicePages } from "../services/services";
import { useFlows, useLastingTypes } from "./flows";

/** What is asked, by name. */
export type Chosen = { operation: string } | { flow: string } | { record_type: string };

/** The name of what is asked, whatever it is. */
export const nameOf = (asked: { operation?: string; flow?: string; record_type?: string }) =>
  asked.operation || asked.flow || asked.record_type || "step";

/** What a step asks: the service first, then one of its operations; or another flow, or the records of a type. */
export function ChooseAsked({
  project,
  own,
  onChoose,
}: {
  project: string;
  /** The flow itself, which it must not ask. */
  own: string;
  onChoose: (asked: Chosen) => void;
}) {
  const services = useServicePages(project, "");
  const flows = useFlows(project);
  const types = useLastingTypes(project);
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
          {types.length > 0 && <option value={RECORDS}>records, kept or live</option>}
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
      {service === FLOWS || service === RECORDS ? (
        <div className="mt-1 max-h-52 overflow-y-auto">
          {(service === FLOWS ? flows.items.filter((one) => one.name !== own) : types)
            .filter((one) => `${one.name} ${one.title}`.toLowerCase().includes(search.toLowerCase()))
            .map((one) => (
              <Choice
                key={one.name}
                title={one.title}
                name={one.name}
                onChoose={() => onChoose(service === FLOWS ? { flow: one.name } : { record_type: one.name })}
              />
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

/** The type of the records that a step finds or writes. */
export function ChooseRecords({ project, onChoose }: { project: string; onChoose: (record_type: string) => void }) {
  const types = useLastingTypes(project);
  return (
    <div className="my-1 rounded-field border border-base-300 p-2 text-xs" role="group" aria-label="Which records">
      {types.map((one) => (
        <Choice key={one.name} title={one.title} name={one.name} onChoose={() => onChoose(one.name)} />
      ))}
      {types.length === 0 && <p>There is no type of records yet that are kept, or live at a service.</p>}
    </div>
  );
}

/** In place of a service's name; names begin with a letter. */
const FLOWS = "*";
const RECORDS = "+";

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
