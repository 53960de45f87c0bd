import { useState, type ReactNode } from "react";
import { Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText, asTexts } from "../../ui/text";
import { SavedInputs } from "../releases/SavedInputs";
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
  const [files, setFiles] = useState<Record<string, File>>({});
  const [reply, setReply] = useState(operation.mappings[0] ? `records ${operation.mappings[0].name}` : "response");
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
          call.mutate({
            inputs: Object.fromEntries(given),
            files,
            mapping: reply.startsWith("records ") ? reply.slice(8) : "",
            isContent: reply === "content",
            key: operation.writes ? key : "",
            caller,
          });
        }}
      >
        <SavedInputs
          project={at.project}
          names={operation.inputs.map((one) => one.name)}
          onChoose={(saved) => change({ ...values, ...asTexts(saved) })}
        />
        {operation.inputs.map((one) => (
          <InputField
            key={one.name}
            input={one}
            value={values[one.name] ?? ""}
            onValue={(value) => change({ ...values, [one.name]: value })}
          >
            {operation.files.includes(one.name) && (
              <input
                type="file"
                className="file-input file-input-sm"
                title={one.description}
                required={one.required && one.default === undefined}
                onChange={(event) => {
                  const [file] = event.target.files ?? [];
                  setFiles(({ [one.name]: _, ...others }) => (file ? { ...others, [one.name]: file } : others));
                  setKey(crypto.randomUUID());
                }}
              />
            )}
          </InputField>
        ))}
        {namesCaller && <CallerField caller={caller} onCaller={setCaller} />}
        <label className="flex flex-col text-xs">
          The reply
          <select className="select select-sm" value={reply} onChange={(event) => setReply(event.target.value)}>
            {operation.mappings.map((one) => (
              <option key={one.name} value={`records ${one.name}`}>
                records by {one.title || one.name}
              </option>
            ))}
            <option value="response">as the service sends it</option>
            <option value="content">its body alone, as a file</option>
          </select>
        </label>
        <button type="submit" className="btn btn-primary btn-sm" disabled={call.isPending}>
          {call.isPending ? "Calling" : operation.writes ? "Call; it changes something" : "Call"}
        </button>
      </form>
      <ProblemAlert error={call.error} />
      {call.data && operation.writes && <SameKey onNew={() => setKey(crypto.randomUUID())} />}
      {call.data && <Answer told={call.data} />}
    </section>
  );
}

/** An input that is given as text, or by what is in its place. */
export function InputField({
  input,
  value,
  onValue,
  children,
}: {
  input: UsableOperation["inputs"][number];
  value: string;
  onValue: (value: string) => void;
  children?: ReactNode;
}) {
  return (
    <label className="flex min-w-44 flex-col text-xs">
      <span>
        {input.title || input.name}
        {input.required && <span className="opacity-75"> (has to be given)</span>}
        {input.unit && <span className="opacity-75"> in {input.unit}</span>}
      </span>
      {children || (
        <input
          className="input input-sm"
          title={input.description}
          required={input.required && input.default === undefined}
          placeholder={input.default === undefined ? "" : asText(input.default)}
          value={value}
          onChange={(event) => onValue(event.target.value)}
        />
      )}
    </label>
  );
}

/** The user whom the application names with its calls. */
export function CallerField({ caller, onCaller }: { caller: string; onCaller: (caller: string) => void }) {
  return (
    <label className="flex min-w-44 flex-col text-xs">
      For which user
      <input className="input input-sm" required value={caller} onChange={(event) => onCaller(event.target.value)} />
    </label>
  );
}

export function SameKey({ onNew }: { onNew: () => void }) {
  return (
    <p className="mb-1 text-xs opacity-85">
      Called again with the same values, it is not done again: the key is the same.{" "}
      <button type="button" className="link" onClick={onNew}>
        Take a new key
      </button>
    </p>
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

export function Answer({ told }: { told: Told }) {
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
      {told.file ? (
        <a className="link" href={told.file.url} download={told.file.name}>
          Keep {told.file.name} ({told.file.size.toLocaleString()} bytes)
        </a>
      ) : (
        <Text text={told.text} />
      )}
    </div>
  );
}

function Text({ text }: { text: string }) {
  return (
    <pre className="max-h-[28rem] overflow-auto rounded-field bg-base-200 p-3 font-mono text-xs">
      {text.slice(0, MOST_SHOWN)}
      {text.length > MOST_SHOWN && `\n… and ${(text.length - MOST_SHOWN).toLocaleString()} characters more`}
    </pre>
  );
}
