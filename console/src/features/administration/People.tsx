import { type FormEvent, useState } from "react";
import { Heading, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type Person, useChangePerson, useMakePerson, useResetPassword } from "./administration";
import { Once } from "./Once";
import { Tokens } from "./Tokens";

/** Everybody who can sign in; for administrators of the installation. */
export function People({ people }: { people: Person[] }) {
  const [shown, setShown] = useState("");
  return (
    <section className="mb-9">
      <Heading>People of this installation</Heading>
      <ul className="mb-3 text-sm">
        {people.map((one) => (
          <li key={one.name} className="border-t border-base-300 py-1.5">
            <div className="flex flex-wrap items-center gap-3">
              <span className={`w-48 truncate ${one.is_active ? "" : "line-through opacity-70"}`}>
                <span className="font-medium">{one.title}</span>{" "}
                <span className="font-mono text-xs opacity-75">{one.name}</span>
              </span>
              {one.is_administrator && <Tag tone="busy">administrator</Tag>}
              {!one.is_active && <Tag tone="bad">closed</Tag>}
              <span className="min-w-0 flex-1 text-xs opacity-80">
                {one.projects.map((role) => `${role.project}: ${role.role}`).join(", ") || "no project"}
              </span>
              <span className="text-xs opacity-75">
                {one.last_login ? `here last ${when(one.last_login)}` : "never in the console"}
              </span>
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                aria-expanded={shown === one.name}
                onClick={() => setShown(shown === one.name ? "" : one.name)}
              >
                {one.tokens} token{one.tokens === 1 ? "" : "s"}, account
              </button>
            </div>
            {shown === one.name && <AccountOf person={one} />}
          </li>
        ))}
      </ul>
      <NewPerson />
    </section>
  );
}

function AccountOf({ person }: { person: Person }) {
  const change = useChangePerson();
  const reset = useResetPassword();
  return (
    <div className="mt-2 mb-3 border-l-2 border-base-300 pl-4">
      <Tokens person={person.name} />
      <div className="flex flex-wrap gap-2">
        <button
          type="button"
          className="btn btn-xs"
          disabled={change.isPending}
          onClick={() => change.mutate({ name: person.name, is_administrator: !person.is_administrator })}
        >
          {person.is_administrator ? "No longer an administrator" : "Make an administrator of this installation"}
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={change.isPending}
          onClick={() => change.mutate({ name: person.name, is_active: !person.is_active })}
        >
          {person.is_active ? "Close the account" : "Open the account again"}
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={reset.isPending}
          onClick={() => reset.mutate(person.name)}
        >
          New password
        </button>
      </div>
      {reset.data?.made_password && (
        <Once what={`The new password of ${person.name}`} text={reset.data.made_password} />
      )}
      <ProblemAlert error={change.error ?? reset.error} />
    </div>
  );
}

function NewPerson() {
  const make = useMakePerson();
  const [given, setGiven] = useState({ name: "", title: "", is_administrator: false });
  const add = (event: FormEvent) => {
    event.preventDefault();
    const body = {
      name: given.name.trim(),
      is_administrator: given.is_administrator,
      ...(given.title.trim() ? { title: given.title.trim() } : {}),
    };
    make.mutate(body, { onSuccess: () => setGiven({ name: "", title: "", is_administrator: false }) });
  };
  return (
    <>
      <form className="flex flex-wrap items-center gap-2 text-sm" onSubmit={add}>
        <input
          className="input input-sm w-48"
          aria-label="Name of a new person"
          placeholder="name, such as ilex"
          value={given.name}
          onChange={(e) => setGiven({ ...given, name: e.target.value })}
        />
        <input
          className="input input-sm w-60"
          aria-label="How the new person is shown"
          placeholder="how they are shown"
          value={given.title}
          onChange={(e) => setGiven({ ...given, title: e.target.value })}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={given.is_administrator}
            onChange={(e) => setGiven({ ...given, is_administrator: e.target.checked })}
          />{" "}
          administrator of this installation
        </label>
        <button className="btn btn-sm" disabled={!given.name.trim() || make.isPending}>
          New person
        </button>
      </form>
      {make.data?.made_password && <Once what={`The password of ${make.data.name}`} text={make.data.made_password} />}
      <ProblemAlert error={make.error} />
    </>
  );
}
