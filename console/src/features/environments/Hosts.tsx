import { type FormEvent, useState } from "react";
import { Empty, Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { useHosts, usePermitHost, useRemoveHost } from "./environments";

/** The hosts that the project may reach; administrators permit them. */
export function Hosts({ project }: { project: string }) {
  const found = useHosts(project);
  const permit = usePermitHost(project);
  const remove = useRemoveHost(project);
  const may = usePermission(project, "administer");
  const [given, setGiven] = useState({ host: "", port: "", is_private: false });
  const add = (event: FormEvent) => {
    event.preventDefault();
    permit.mutate(
      { host: given.host, port: given.port ? Number(given.port) : null, is_private: given.is_private },
      { onSuccess: () => setGiven({ host: "", port: "", is_private: false }) },
    );
  };
  return (
    <section>
      <Heading>Permitted hosts</Heading>
      <p className="mb-2 text-sm opacity-80">
        Rondine calls these and no others. {may ? "" : "Administrators permit them."}
      </p>
      <ul className="mb-3 max-w-2xl text-sm">
        {(found.data ?? []).map((one) => (
          <li key={one.id} className="flex items-center gap-3 border-t border-base-300 py-1.5">
            <span className="font-mono">
              {one.host}
              {one.port ? `:${one.port}` : ""}
            </span>
            {!one.port && <span className="text-xs opacity-75">any port</span>}
            {one.is_private && <Tag>private addresses too</Tag>}
            {may && (
              <button type="button" className="btn btn-ghost btn-xs ml-auto" onClick={() => remove.mutate(one.id)}>
                Take back
              </button>
            )}
          </li>
        ))}
      </ul>
      {found.data?.length === 0 && (
        <div className="mb-3">
          <Empty title="No host is permitted yet">Until an administrator permits one, nothing can be called.</Empty>
        </div>
      )}
      <ProblemAlert error={found.error ?? permit.error ?? remove.error} />
      {may && (
        <form className="flex flex-wrap items-center gap-3 text-sm" onSubmit={add}>
          <input
            className="input input-sm w-60 font-mono"
            aria-label="Host to permit"
            placeholder="register.example"
            value={given.host}
            onChange={(e) => setGiven({ ...given, host: e.target.value })}
          />
          <input
            className="input input-sm w-24"
            aria-label="Port"
            inputMode="numeric"
            placeholder="any port"
            value={given.port}
            onChange={(e) => setGiven({ ...given, port: e.target.value.replace(/\D/g, "") })}
          />
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={given.is_private}
              onChange={(e) => setGiven({ ...given, is_private: e.target.checked })}
            />{" "}
            it may have a private address
          </label>
          <button className="btn btn-sm" disabled={!given.host || permit.isPending}>
            Permit it
          </button>
        </form>
      )}
    </section>
  );
}
