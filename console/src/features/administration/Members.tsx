import { type FormEvent, useState } from "react";
import { Heading, Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { ROLES, type Role, useMembers, useRemoveMember, useSetMember } from "./administration";

const MAY: Record<Role, string> = {
  viewer: "looks",
  operator: "also runs, cancels and replaces secrets",
  builder: "also builds and tries",
  administrator: "also decides about members, hosts and environments",
};

/** Who belongs to the project, and what each may do. people: all of the installation, as far as one may see them. */
export function Members({ project, people }: { project: string; people: string[] }) {
  const found = useMembers(project, true);
  const set = useSetMember(project);
  const remove = useRemoveMember(project);
  const [given, setGiven] = useState<{ person: string; role: Role }>({ person: "", role: "builder" });
  const add = (event: FormEvent) => {
    event.preventDefault();
    set.mutate({ ...given, person: given.person.trim() }, { onSuccess: () => setGiven({ ...given, person: "" }) });
  };
  if (found.isPending) return <Waiting what="Reading the members" />;
  return (
    <section className="mb-9">
      <Heading>Members of {project}</Heading>
      <ul className="mb-3 max-w-3xl text-sm">
        {(found.data ?? []).map((one) => (
          <li key={one.name} className="flex flex-wrap items-center gap-3 border-t border-base-300 py-1.5">
            <span className="w-48 truncate">
              <span className="font-medium">{one.title}</span>{" "}
              <span className="font-mono text-xs opacity-75">{one.name}</span>
            </span>
            <select
              className="select select-xs w-36"
              aria-label={`Role of ${one.name}`}
              value={one.role}
              disabled={set.isPending}
              onChange={(e) => set.mutate({ person: one.name, role: e.target.value as Role })}
            >
              {ROLES.map((role) => (
                <option key={role}>{role}</option>
              ))}
            </select>
            <span className="text-xs opacity-75">{MAY[one.role]}</span>
            {!one.is_active && <Tag tone="bad">closed account</Tag>}
            <button
              type="button"
              className="btn btn-ghost btn-xs ml-auto"
              disabled={remove.isPending}
              onClick={() => remove.mutate(one.name)}
            >
              Take out
            </button>
          </li>
        ))}
      </ul>
      <form className="flex flex-wrap gap-2" onSubmit={add}>
        <input
          className="input input-sm w-60"
          aria-label="Person to add"
          placeholder="name of a person"
          list="people-to-add"
          value={given.person}
          onChange={(e) => setGiven({ ...given, person: e.target.value })}
        />
        <datalist id="people-to-add">
          {people.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
        <select
          className="select select-sm w-40"
          aria-label="Role of the person to add"
          value={given.role}
          onChange={(e) => setGiven({ ...given, role: e.target.value as Role })}
        >
          {ROLES.map((role) => (
            <option key={role}>{role}</option>
          ))}
        </select>
        <button className="btn btn-sm" disabled={!given.person.trim() || set.isPending}>
          Add
        </button>
      </form>
      <ProblemAlert error={found.error ?? set.error ?? remove.error} />
    </section>
  );
}
