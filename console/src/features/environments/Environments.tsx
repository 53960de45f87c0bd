import { useState } from "react";
import { useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Heading, Tag, when } from "../../ui/parts";
import { Advice } from "../../ui/Advice";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { UsedBy } from "../finding/UsedBy";
import { usePermission } from "../session/session";
import { Hosts } from "./Hosts";
import { Naming } from "./Naming";
import {
  useChangeCallback,
  useKeepFor,
  useEnvironmentList,
  useProveCallback,
  useMakeEnvironment,
  useMakeStandingValue,
  useProtect,
  useRemoveEnvironment,
  useSetStandingValue,
  useStandingValues,
} from "./environments";

/** Where items run, what is missing there, the standing values of each, and the hosts that may be reached. */
export default function Environments() {
  const { project = "" } = useParams();
  const found = useEnvironmentList(project);
  if (!found.data) return <NotYet title="Environments" what="Reading the environments" error={found.error} />;
  return (
    <Page title="Environments">
      <EnvironmentTable project={project} environments={found.data} />
      <StandingValues project={project} environments={found.data.map((one) => one.name)} />
      <Hosts project={project} />
      <Naming project={project} />
    </Page>
  );
}

function EnvironmentTable({ project, environments }: { project: string; environments: Schemas["Environment"][] }) {
  const make = useMakeEnvironment(project);
  const protect = useProtect(project);
  const remove = useRemoveEnvironment(project);
  const mayBuild = usePermission(project, "build");
  const isAdministrator = usePermission(project, "administer");
  return (
    <section className="mb-9">
      <div className="grid gap-6 md:grid-cols-2">
        {environments.map((one) => (
          <article key={one.name} className="border-t-2 border-base-300 pt-2">
            <div className="flex flex-wrap items-center gap-2">
              <h2 className="font-semibold">{one.title || one.name}</h2>
              {one.is_protected && <Tag tone="busy">protected</Tag>}
              <span className="text-xs opacity-75">
                {one.connections} connection{one.connections === 1 ? "" : "s"}
              </span>
              <span className="ml-auto">
                {isAdministrator && (
                  <button
                    type="button"
                    className="btn btn-ghost btn-xs"
                    onClick={() => protect.mutate({ name: one.name, is_protected: !one.is_protected })}
                  >
                    {one.is_protected ? "Take the protection off" : "Protect"}
                  </button>
                )}
                {mayBuild && one.connections === 0 && !["test", "live"].includes(one.name) && (
                  <button type="button" className="btn btn-ghost btn-xs" onClick={() => remove.mutate(one.name)}>
                    Remove
                  </button>
                )}
              </span>
            </div>
            {one.description && <p className="text-sm">{one.description}</p>}
            <CallbackOf project={project} environment={one} may={mayBuild && (!one.is_protected || isAdministrator)} />
            <KeptFor project={project} environment={one} may={mayBuild && (!one.is_protected || isAdministrator)} />
            {one.missing.length === 0 ? (
              <p className="mt-1 border-l-2 border-success pl-2 text-sm">Nothing is missing here.</p>
            ) : (
              <ul className="mt-1 text-sm">
                {one.missing.map((problem) => (
                  <li key={problem.where + problem.message} className="mb-1 border-l-2 border-warning pl-2">
                    <span className="font-medium">{problem.where}</span>: {problem.message}
                    {problem.hint && (
                      <span className="text-xs opacity-75">
                        {" "}
                        · <Advice hint={problem.hint} />
                      </span>
                    )}
                  </li>
                ))}
              </ul>
            )}
          </article>
        ))}
      </div>
      <ProblemAlert error={make.error ?? protect.error ?? remove.error} />
      {mayBuild && (
        <OneName
          label="Name of a new environment"
          action="Make it"
          onName={(name, done) => make.mutate(name, { onSuccess: done })}
        />
      )}
    </section>
  );
}

/** For how long what ran here is kept. */
function KeptFor({
  project,
  environment,
  may,
}: {
  project: string;
  environment: Schemas["Environment"];
  may: boolean;
}) {
  const keep = useKeepFor(project);
  const [draft, setDraft] = useState<{ runs: string; bodies: string } | undefined>();
  const words = (days: number | null) => (days === null ? "for ever" : `for ${days} days`);
  const number = (text: string) => (text.trim() === "" ? null : Number(text));
  return (
    <div className="text-sm">
      <p>
        Keeps runs {words(environment.runs_days)}, bodies of responses {words(environment.bodies_days)}.{" "}
        {may && !draft && (
          <button
            type="button"
            className="link text-xs"
            aria-label={`Set for how long ${environment.name} keeps runs`}
            onClick={() =>
              setDraft({ runs: `${environment.runs_days ?? ""}`, bodies: `${environment.bodies_days ?? ""}` })
            }
          >
            set it
          </button>
        )}
      </p>
      {draft && (
        <form
          className="mt-1 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const days = { runs_days: number(draft.runs), bodies_days: number(draft.bodies) };
            keep.mutate({ name: environment.name, ...days }, { onSuccess: () => setDraft(undefined) });
          }}
        >
          {(["runs", "bodies"] as const).map((what) => (
            <label key={what} className="flex flex-col text-xs">
              Days for {what}, empty for ever
              <input
                className="input input-sm w-32"
                inputMode="numeric"
                value={draft[what]}
                onChange={(event) => setDraft({ ...draft, [what]: event.target.value })}
              />
            </label>
          ))}
          <button type="submit" className="btn btn-primary btn-sm" disabled={keep.isPending}>
            Save
          </button>
          <button type="button" className="btn btn-sm" onClick={() => setDraft(undefined)}>
            Leave it
          </button>
        </form>
      )}
      <ProblemAlert error={keep.error} />
    </div>
  );
}

/** Where services send people back to after their consent: chosen, and proven by a visit. */
function CallbackOf({
  project,
  environment,
  may,
}: {
  project: string;
  environment: Schemas["Environment"];
  may: boolean;
}) {
  const change = useChangeCallback(project);
  const prove = useProveCallback(project);
  const [isOpen, setOpen] = useState(false);
  const usual = `${window.location.origin}${environment.callback_path}`;
  return (
    <div className="mt-1 text-xs">
      <button
        type="button"
        className="cursor-pointer text-left opacity-80 hover:underline"
        aria-expanded={isOpen}
        onClick={() => setOpen(!isOpen)}
      >
        callback address of consents:{" "}
        {environment.callback ? <code className="font-mono break-all">{environment.callback}</code> : "the usual one"}
        {environment.callback_proven_at && `, proven ${when(environment.callback_proven_at)}`}
      </button>
      {isOpen && (
        <div className="mt-1 border-l-2 border-base-300 pl-3">
          <p className="mb-1">
            Services send people back here; it is registered there. Its host must lead to Rondine and stand in
            RONDINE_HOSTS.
          </p>
          <input
            className="input input-sm w-full font-mono"
            aria-label={`Callback address of ${environment.name}`}
            placeholder={usual}
            defaultValue={environment.callback}
            key={environment.callback}
            readOnly={!may}
            onBlur={(e) =>
              e.target.value.trim() !== environment.callback &&
              change.mutate({ name: environment.name, callback: e.target.value.trim() })
            }
            onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          />
          {may && (
            <button
              type="button"
              className="btn btn-xs mt-1"
              disabled={prove.isPending || change.isPending}
              onClick={() =>
                prove.mutate(environment.name, { onSuccess: ({ address }) => window.location.assign(address) })
              }
            >
              Prove that it leads here
            </button>
          )}
          <ProblemAlert error={change.error ?? prove.error} />
        </div>
      )}
    </div>
  );
}

function StandingValues({ project, environments }: { project: string; environments: string[] }) {
  const found = useStandingValues(project);
  const make = useMakeStandingValue(project);
  const set = useSetStandingValue(project);
  const mayBuild = usePermission(project, "build");
  const values = found.data ?? [];
  return (
    <section className="mb-9">
      <Heading>Standing values</Heading>
      {values.length === 0 ? (
        <Empty title="There is no standing value yet">
          A named value that operations and connections refer to, such as a survey year or an office number; changed
          here, it changes everywhere.
        </Empty>
      ) : (
        <div className="overflow-x-auto">
          <table className="w-full text-sm">
            <thead>
              <tr className="text-left">
                <th className="py-1 pr-4 font-medium">name</th>
                {environments.map((one) => (
                  <th key={one} className="pr-4 font-medium">
                    {one}
                  </th>
                ))}
                <th className="font-medium">used by</th>
              </tr>
            </thead>
            <tbody>
              {values.map((value) => (
                <tr key={value.id} className="border-t border-base-300 align-top">
                  <td className="py-2 pr-4 font-mono">{value.name}</td>
                  {environments.map((environment) => (
                    <td key={environment} className="py-1 pr-4">
                      <input
                        key={value.version}
                        className="input input-sm w-36"
                        aria-label={`${value.name} in ${environment}`}
                        placeholder="no value"
                        defaultValue={String(value.document.values?.[environment] ?? "")}
                        readOnly={!mayBuild}
                        onBlur={(e) =>
                          e.target.value !== String(value.document.values?.[environment] ?? "") &&
                          set.mutate({ held: value, environment, value: e.target.value })
                        }
                        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                      />
                    </td>
                  ))}
                  <td className="py-2 text-xs">
                    {value.warnings.map((one) => (
                      <p key={one.where} className="mb-1 border-l-2 border-error pl-2">
                        {one.where.split("/")[2]}: {one.message}. {one.hint}
                      </p>
                    ))}
                    <UsedBy
                      known={value.used_by.length}
                      item={{
                        project,
                        kind: "standing-values",
                        word: "standing value",
                        name: value.name,
                        version: value.version,
                        after: "environments",
                      }}
                    />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <ProblemAlert error={found.error ?? make.error ?? set.error} />
      {mayBuild && (
        <OneName
          label="Name of a new standing value"
          action="Make it"
          onName={(name, done) => make.mutate(name, { onSuccess: done })}
        />
      )}
    </section>
  );
}

function OneName({
  label,
  action,
  onName,
}: {
  label: string;
  action: string;
  onName: (name: string, done: () => void) => void;
}) {
  const [name, setName] = useState("");
  return (
    <form
      className="mt-3 flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onName(name.trim(), () => setName(""));
      }}
    >
      <input
        className="input input-sm w-60"
        aria-label={label}
        placeholder={label}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button className="btn btn-sm" disabled={!name.trim()}>
        {action}
      </button>
    </form>
  );
}
