import { useEffect, useMemo, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { Page } from "../../ui/Layout";
import { bytes, Field, Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironments, usePermission } from "../session/session";
import { nameOf } from "../services/services";
import { count, type Look, type Source, useImport, useLook, useTypeFields } from "./definitions";
import { Faults } from "./Faults";
import { Operations } from "./Operations";
import { SourceForm } from "./SourceForm";

/** A definition is read and looked at; what is wanted of it is chosen; then all of it is made at once. */
export default function ImportPage() {
  const { project = "" } = useParams();
  const [query] = useSearchParams();
  const service = query.get("service") ?? "";
  const stored = query.get("definition") ?? "";
  const look = useLook(project);
  const begin = look.mutate;
  const read = (source: Source) => begin({ source, service });
  useEffect(() => {
    if (stored) begin({ source: { definition: stored }, service });
  }, [stored, service, begin]);
  return (
    <Page title={service ? `Import into ${service}` : "Import a definition"}>
      {!stored && (
        <SourceForm
          isReading={look.isPending}
          verb="Look at it"
          progress={look.progress}
          onSource={read}
          onStop={look.stop}
        />
      )}
      <ProblemAlert error={look.error} />
      {!look.data && !look.isPending && !look.error && (
        <p className="text-sm opacity-80">
          OpenAPI 3.1, 3.0 and 2.0 are read, in JSON or YAML; OData metadata of every version; GraphQL schemas, as text
          or asked of the service; WSDL 1.1 with its schemas; recorded sessions (HTTP Archive); JSON Schema, XML Schema
          and samples of responses. Nothing is made before you have chosen.
        </p>
      )}
      {look.data && (
        <Choose
          key={look.data.hash + look.data.part}
          project={project}
          look={look.data}
          service={service}
          onPart={(part) => read({ look: look.data.look, part })}
        />
      )}
    </Page>
  );
}

interface ChooseProps {
  project: string;
  look: Look;
  service: string;
  onPart: (part: string) => void;
}

function Choose({ project, look, service, onPart }: ChooseProps) {
  const source = useMemo(() => ({ look: look.look, part: look.part }), [look]);
  const navigate = useNavigate();
  const mayBuild = usePermission(project, "build");
  const environments = useEnvironments(project);
  const fresh = useMemo(() => look.operations.filter((one) => !one.is_imported).map((one) => one.key), [look]);
  const [chosen, setChosen] = useState<Set<string>>(new Set(fresh.length <= 40 ? fresh : []));
  const [leftOut, setLeftOut] = useState<Record<string, string[]>>({});
  const [name, setName] = useState(service || nameOf(look.title) || "service");
  const [withTypes, setWithTypes] = useState(true);
  const [follows, setFollows] = useState(true);
  const [everyPart, setEveryPart] = useState(false);
  const [seesTypes, setSeesTypes] = useState(false);
  const fields = useTypeFields(project, source, seesTypes);
  const paged = look.operations.filter((one) => one.paging && chosen.has(one.key)).length;
  const [connects, setConnects] = useState(true);
  const [environment, setEnvironment] = useState("test");
  const [server, setServer] = useState(look.servers[0]?.address ?? "");
  const [blanks, setBlanks] = useState<Record<string, string>>(look.servers[0]?.blanks ?? {});
  const [signIn, setSignIn] = useState(look.sign_ins.find((one) => one.type)?.name ?? "");
  const make = useImport(project);
  const there = look.servers.find((one) => one.address === server);
  const secrets = look.sign_ins.find((one) => one.name === signIn)?.secret_names ?? [];

  if (make.data) {
    const done = make.data;
    return (
      <div role="status" className="max-w-2xl rounded-box border border-base-300 bg-base-200 p-4">
        <Heading>Imported</Heading>
        <p className="mb-2 text-sm">
          {count(done.operations.length, "operation")}
          {done.record_types.length > 0 && `, ${count(done.record_types.length, "record type")}`} in service{" "}
          <span className="font-mono">{done.service}</span>.
        </p>
        <ul className="mb-3 text-sm">
          {done.operations.slice(0, 12).map((one) => (
            <li key={one}>
              <Link className="link" to={`/p/${project}/operations/${one}`}>
                {one}
              </Link>
            </li>
          ))}
          {done.operations.length > 12 && <li className="opacity-75">and {done.operations.length - 12} more</li>}
        </ul>
        {done.others.map((one) => (
          <p key={one.service} className="mb-2 text-sm">
            And {count(one.operations.length, "operation")} in service <span className="font-mono">{one.service}</span>
            {one.connection && (
              <>
                , with the connection{" "}
                <Link className="link" to={`/p/${project}/connections/${one.connection}`}>
                  {one.connection}
                </Link>
              </>
            )}
            .
          </p>
        ))}
        {[...done.notes, ...done.others.flatMap((one) => one.notes)].map((one) => (
          <p key={one} className="mb-2 border-l-4 border-warning pl-2 text-sm">
            {one}.
          </p>
        ))}
        {done.connection && done.secrets_needed.length > 0 ? (
          <button
            type="button"
            className="btn btn-primary btn-sm"
            onClick={() => navigate(`/p/${project}/connections/${done.connection}`)}
          >
            Give the connection its {done.secrets_needed.join(" and ").replaceAll("_", " ")}
          </button>
        ) : (
          <Link className="btn btn-primary btn-sm" to={`/p/${project}/services`}>
            See the service
          </Link>
        )}
      </div>
    );
  }

  return (
    <div className="grid gap-6 lg:grid-cols-[minmax(0,1fr)_20rem]">
      <section>
        <div className="mb-4">
          <p className="text-lg font-semibold">
            {look.title || look.main}{" "}
            {look.version && <span className="text-sm font-normal opacity-75">version {look.version}</span>}
          </p>
          <p className="text-sm opacity-80">
            {look.format} · {count(look.operations.length, "operation")} · {count(look.schemas, "schema")} ·{" "}
            {bytes(look.size)}
            {look.files.length > 1 && ` in ${look.files.length} files`}
            {look.documentation && (
              <>
                {" "}
                ·{" "}
                <a className="link" href={look.documentation} target="_blank" rel="noreferrer">
                  documentation
                </a>
              </>
            )}
          </p>
          {look.description && <p className="mt-1 line-clamp-3 max-w-prose text-sm">{look.description}</p>}
        </div>
        {look.parts.length > 1 && (
          <div className="mb-4 rounded-box border border-base-300 p-3">
            <Field label="Which service" hint={`${look.parts.length} services are in it; each is imported on its own`}>
              {(id) => (
                <select
                  id={id}
                  className="select select-sm w-full max-w-md font-mono text-xs"
                  value={look.part}
                  onChange={(e) => onPart(e.target.value)}
                >
                  {look.parts.map((one) => (
                    <option key={one.name} value={one.name}>
                      {one.name} ({one.count})
                    </option>
                  ))}
                </select>
              )}
            </Field>
            <label className="flex items-center gap-2 text-sm">
              <input
                type="checkbox"
                className="checkbox checkbox-sm"
                checked={everyPart}
                onChange={(e) => setEveryPart(e.target.checked)}
              />{" "}
              import the others too, whole
            </label>
          </div>
        )}
        <Faults
          leftOut={look.left_out}
          warnings={[...look.warnings, ...look.operations.flatMap((one) => one.warnings)]}
        />
        <Operations
          project={project}
          source={source}
          service={service}
          operations={look.operations}
          chosen={chosen}
          leftOut={leftOut}
          onChosen={setChosen}
          onLeftOut={setLeftOut}
        />
      </section>
      <aside>
        <form
          className="sticky top-4 rounded-box border border-base-300 bg-base-200 p-4"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate({
              ...source,
              service: name,
              every_part: everyPart,
              operations: [...chosen],
              left_out: leftOut,
              record_types: withTypes ? null : [],
              paging: follows ? "follow" : "decline",
              connect: connects
                ? { environment, address: server, blanks, ...(signIn ? { sign_in: signIn } : {}) }
                : null,
            });
          }}
        >
          <Heading>What will be made</Heading>
          <Field label="Service" hint={service ? undefined : "made, if there is none of this name"}>
            {(id) => (
              <input
                id={id}
                className="input input-sm w-full font-mono"
                value={name}
                readOnly={service !== ""}
                onChange={(e) => setName(e.target.value)}
              />
            )}
          </Field>
          <p className="mb-3 text-sm">
            <span className="text-base font-semibold tabular-nums">{chosen.size}</span> of{" "}
            {count(look.operations.length, "operation")}
          </p>
          <label className="mb-1 flex items-center gap-2 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={withTypes}
              onChange={(e) => setWithTypes(e.target.checked)}
            />{" "}
            record types for what they answer
          </label>
          {withTypes && look.record_types.length > 0 && (
            <details className="mb-3 pl-7 text-xs" onToggle={(e) => setSeesTypes(e.currentTarget.open)}>
              <summary className="link link-hover cursor-pointer">{look.record_types.length} if all are taken</summary>
              <ul className="mt-1 max-h-56 overflow-auto">
                {look.record_types.map((one) => (
                  <li key={one.name} className="py-0.5" title={fields.data?.[one.name]}>
                    <span className="font-mono">{one.name}</span>{" "}
                    <span className="opacity-75">
                      {count(one.field_count, "field")}
                      {one.parent && `, ${one.is_list ? "several" : "one"} for a ${one.parent}`}
                      {one.wanted && `; ${one.wanted} is taken`}
                    </span>
                  </li>
                ))}
              </ul>
            </details>
          )}
          {paged > 0 && (
            <label className="mt-2 flex items-center gap-2 text-sm">
              <input
                type="checkbox"
                className="checkbox checkbox-sm"
                checked={follows}
                onChange={(e) => setFollows(e.target.checked)}
              />{" "}
              the paging that {paged === 1 ? "one of them shows" : `${paged} of them show`}
            </label>
          )}
          <label className="mt-2 mb-2 flex items-center gap-2 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={connects}
              onChange={(e) => setConnects(e.target.checked)}
            />{" "}
            a connection, if there is none
          </label>
          {connects && (
            <div className="pl-7">
              <Field label="Environment">
                {(id) => (
                  <select
                    id={id}
                    className="select select-sm w-full"
                    value={environment}
                    onChange={(e) => setEnvironment(e.target.value)}
                  >
                    {environments.map((one) => (
                      <option key={one}>{one}</option>
                    ))}
                  </select>
                )}
              </Field>
              <Field
                label="Base address"
                hint={look.servers.length === 0 ? "the definition names none" : there?.description}
              >
                {(id) => (
                  <>
                    <input
                      id={id}
                      className="input input-sm w-full font-mono text-xs"
                      list={`${id}-known`}
                      value={server}
                      onChange={(e) => {
                        setServer(e.target.value);
                        setBlanks(look.servers.find((one) => one.address === e.target.value)?.blanks ?? {});
                      }}
                    />
                    <datalist id={`${id}-known`}>
                      {look.servers.map((one) => (
                        <option key={one.address} value={one.address}>
                          {one.description}
                        </option>
                      ))}
                    </datalist>
                  </>
                )}
              </Field>
              {Object.keys(blanks).map((blank) => (
                <Field key={blank} label={blank}>
                  {(id) =>
                    there?.choices[blank] ? (
                      <select
                        id={id}
                        className="select select-sm w-full"
                        value={blanks[blank]}
                        onChange={(e) => setBlanks({ ...blanks, [blank]: e.target.value })}
                      >
                        {there.choices[blank]?.map((one) => (
                          <option key={one}>{one}</option>
                        ))}
                      </select>
                    ) : (
                      <input
                        id={id}
                        className="input input-sm w-full"
                        value={blanks[blank]}
                        onChange={(e) => setBlanks({ ...blanks, [blank]: e.target.value })}
                      />
                    )
                  }
                </Field>
              ))}
              {look.sign_ins.length > 0 && (
                <Field
                  label="Sign-in"
                  hint={
                    secrets.length ? `afterwards it asks for: ${secrets.join(", ").replaceAll("_", " ")}` : undefined
                  }
                >
                  {(id) => (
                    <select
                      id={id}
                      className="select select-sm w-full"
                      value={signIn}
                      onChange={(e) => setSignIn(e.target.value)}
                    >
                      {look.sign_ins.map((one) => (
                        <option key={one.name} value={one.name} disabled={!one.type}>
                          {one.name}: {one.type?.replaceAll("_", " ") ?? "not possible"}
                        </option>
                      ))}
                    </select>
                  )}
                </Field>
              )}
            </div>
          )}
          <ProblemAlert error={make.error} />
          <button
            className="btn btn-primary mt-2 w-full"
            disabled={!mayBuild || (chosen.size === 0 && look.roots.length === 0) || make.isPending || !nameOf(name)}
          >
            {make.isPending
              ? "Importing"
              : chosen.size === 0
                ? look.roots.length
                  ? `Import ${look.roots.join(", ").slice(0, 40)}`
                  : "Choose operations"
                : `Import ${count(chosen.size, "operation")}`}
          </button>
          {!mayBuild && (
            <p className="mt-1 text-xs">
              <Tag>builders import</Tag>
            </p>
          )}
        </form>
      </aside>
    </div>
  );
}
