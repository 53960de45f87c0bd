import { useState } from "react";
import { Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";
import { useRead, useTry, type At, type Told, type UsableOperation, type UsableType } from "./use";

/** A form that calls an operation as the application does. */
export function TryOperation({
  at,
  operation,
  namesCaller,
}: {
  at: At;
  operation: UsableOperation;
  namesCaller: boolean;
}) {
  const call = useTry(at, operation.name);
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(operation.inputs.map((one) => [one.name, asText(one.try_value ?? "")])),
  );
  const [mapping, setMapping] = useState(operation.mappings[0]?.name ?? "");
  const [caller, setCaller] = useState("");
  // a new one for everything that is to be done: a second click sends the same again, which is done once
  const [key, setKey] = useState(() => crypto.randomUUID() as string);
  const change = (values: Record<string, string>) => {
    setValues(values);
    setKey(crypto.randomUUID());
  };
  return (
    <section>
      <Heading>Try it</Heading>
      <form
        className="mb-3 flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          const given = Object.entries(values).filter(([, value]) => value !== "");
          call.mutate({ inputs: Object.fromEntries(given), mapping, key: operation.writes ? key : "", caller });
        }}
      >
        {operation.inputs.map((one) => (
          <label key={one.name} className="flex min-w-44 flex-col text-xs">
            <span>
              {one.title || one.name}
              {one.required && <span className="opacity-75"> (has to be given)</span>}
              {one.unit && <span className="opacity-75"> in {one.unit}</span>}
            </span>
            <input
              className="input input-sm"
              title={one.description}
              required={one.required && one.default === undefined}
              placeholder={one.default === undefined ? "" : asText(one.default)}
              value={values[one.name] ?? ""}
              onChange={(event) => change({ ...values, [one.name]: event.target.value })}
            />
          </label>
        ))}
        {namesCaller && (
          <label className="flex min-w-44 flex-col text-xs">
            For which user
            <input
              className="input input-sm"
              required
              value={caller}
              onChange={(event) => setCaller(event.target.value)}
            />
          </label>
        )}
        {operation.mappings.length > 0 && (
          <label className="flex flex-col text-xs">
            The reply
            <select className="select select-sm" value={mapping} onChange={(event) => setMapping(event.target.value)}>
              {operation.mappings.map((one) => (
                <option key={one.name} value={one.name}>
                  records by {one.title || one.name}
                </option>
              ))}
              <option value="">as the service sends it</option>
            </select>
          </label>
        )}
        <button type="submit" className="btn btn-primary btn-sm" disabled={call.isPending}>
          {call.isPending ? "Calling" : operation.writes ? "Call; it changes something" : "Call"}
        </button>
      </form>
      <ProblemAlert error={call.error} />
      {call.data && operation.writes && (
        <p className="mb-1 text-xs opacity-85">
          Called again with the same values, it is not done again: the key is the same.{" "}
          <button type="button" className="link" onClick={() => setKey(crypto.randomUUID())}>
            Take a new key
          </button>
        </p>
      )}
      {call.data && <Answer told={call.data} />}
    </section>
  );
}

/** A form that reads kept records as the application does. */
export function TryRecords({ at, type }: { at: At; type: UsableType }) {
  const read = useRead(at, type.name);
  const [values, setValues] = useState<Record<string, string>>({});
  const searchable = type.fields.filter((field) => field.searchable && field.type !== "json");
  return (
    <section>
      <Heading>Try it</Heading>
      <form
        className="mb-3 flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          const given = Object.entries(values).filter(([, value]) => value !== "");
          read.mutate(new URLSearchParams([...given, ["limit", "20"]]).toString());
        }}
      >
        {searchable.map((field) => (
          <label key={field.name} className="flex min-w-36 flex-col text-xs">
            {field.title || field.name}
            <input
              className="input input-sm"
              value={values[field.name] ?? ""}
              onChange={(event) => setValues({ ...values, [field.name]: event.target.value })}
            />
          </label>
        ))}
        <button type="submit" className="btn btn-primary btn-sm" disabled={read.isPending}>
          {read.isPending ? "Reading" : "Read the first 20"}
        </button>
      </form>
      <ProblemAlert error={read.error} />
      {read.data && <Answer told={read.data} />}
    </section>
  );
}

const MOST_SHOWN = 200_000;

function Answer({ told }: { told: Told }) {
  const milliseconds = (name: string) => new RegExp(`${name};dur=([\\d.]+)`).exec(told.timing)?.[1];
  const [ours, theirs] = [milliseconds("rondine"), milliseconds("service")];
  return (
    <div role="status">
      <p className="mb-1 flex flex-wrap items-center gap-2 text-sm">
        <Tag tone={told.status < 400 ? "good" : "bad"}>{told.status}</Tag>
        {ours && theirs && (
          <span className="text-xs opacity-80">
            {theirs} ms at the service, {ours} ms here
          </span>
        )}
      </p>
      <pre className="max-h-[28rem] overflow-auto rounded-field bg-base-200 p-3 font-mono text-xs">
        {told.text.slice(0, MOST_SHOWN)}
        {told.text.length > MOST_SHOWN && `\n… and ${(told.text.length - MOST_SHOWN).toLocaleString()} characters more`}
      </pre>
    </div>
  );
}
