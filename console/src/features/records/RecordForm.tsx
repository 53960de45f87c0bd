import { useState } from "react";
import { Problem, type Schemas } from "../../api/client";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";
import { useWriteRecord, type Known, type Values } from "./live";

interface FormProps {
  project: string;
  environment: string;
  recordType: Schemas["RecordType"];
  /** Whether the service takes a value for a field. */
  takes: (name: string) => boolean;
  /** The record that is changed; without it one is made. */
  known?: Known;
  /** What it had when the form was opened. */
  before?: Values;
  onDone: (done: Schemas["RecordWritten"]) => void;
  onCancel: () => void;
  /** The record has been changed at the service since it was read. */
  onStale?: (typed: Values) => void;
}

/** A form for a live record; only what was changed in it is sent. */
export function RecordForm(props: FormProps) {
  const { project, environment, recordType, takes, known, before = {}, onDone, onCancel, onStale } = props;
  const fields = (recordType.document.fields ?? []).filter((one) => takes(one.name));
  const start = Object.fromEntries(fields.map((one) => [one.name, asTyped(before[one.name])]));
  const [typed, setTyped] = useState<Record<string, string>>(start);
  const [inProtected, setInProtected] = useState(false);
  const write = useWriteRecord(project, environment, recordType.name, known ?? null);
  const changed = fields.filter((one) => typed[one.name] !== start[one.name]);
  const [wrong, setWrong] = useState<unknown>(null);
  const error = wrong ?? write.error;
  const problems = write.error instanceof Problem ? write.error.document.problems : [];
  const isProtected = write.error instanceof Problem && write.error.document.where === "in_protected";
  return (
    <form
      className="mb-4 max-w-3xl border-l-2 border-accent pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        setWrong(null);
        let data: Values;
        try {
          data = Object.fromEntries(changed.map((one) => [one.name, asValue(one, typed[one.name] ?? "")]));
        } catch (failure) {
          setWrong(failure);
          return;
        }
        write.mutate(
          { data, inProtected },
          {
            onSuccess: onDone,
            onError: (failure) => {
              if (failure instanceof Problem && failure.code === "changed_meanwhile") onStale?.(data);
            },
          },
        );
      }}
    >
      <div className="grid gap-x-4 sm:grid-cols-2 lg:grid-cols-3">
        {fields.map((one) => (
          <Field
            key={one.name}
            label={one.title || one.name}
            aside={one.unit}
            problem={problems.find((each) => each.where === `/data/${one.name}`)?.message}
          >
            {(id) => (
              <Entry
                id={id}
                type={one.type}
                value={typed[one.name] ?? ""}
                onChange={(text) => setTyped({ ...typed, [one.name]: text })}
              />
            )}
          </Field>
        ))}
      </div>
      {fields.length === 0 && <p className="mb-2 text-sm">The service takes no value for any field.</p>}
      <ProblemAlert error={error} />
      {isProtected && (
        <label className="mt-2 flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={inProtected}
            onChange={(event) => setInProtected(event.target.checked)}
          />
          writing in this protected environment is meant
        </label>
      )}
      <p className="mt-2 flex gap-2">
        <button className="btn btn-sm btn-primary" disabled={write.isPending || changed.length === 0}>
          {write.isPending ? "Writing" : known ? "Save at the service" : "Make it at the service"}
        </button>
        <button type="button" className="btn btn-sm" onClick={onCancel}>
          Cancel
        </button>
        {known && changed.length > 0 && (
          <span className="self-center text-xs opacity-80">
            {changed.map((one) => one.name).join(", ")} will be sent
          </span>
        )}
      </p>
    </form>
  );
}

function Entry({
  id,
  type,
  value,
  onChange,
}: {
  id: string;
  type: string;
  value: string;
  onChange: (text: string) => void;
}) {
  if (type === "boolean")
    return (
      <select id={id} className="select select-sm w-full" value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="">not said</option>
        <option value="true">yes</option>
        <option value="false">no</option>
      </select>
    );
  const kind = type === "date" ? "date" : "text";
  const mode = type === "integer" ? "numeric" : type === "decimal" ? "decimal" : undefined;
  return (
    <input
      id={id}
      className={`input input-sm w-full ${type === "text" ? "" : "font-mono"}`}
      type={kind}
      inputMode={mode}
      placeholder={type === "datetime" ? "2026-03-01T08:00:00Z" : type === "json" ? "JSON" : undefined}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}

function asTyped(value: unknown): string {
  if (value == null) return "";
  return asText(value);
}

/** An emptied field is sent as null: where the service cannot empty it, that is said. */
function asValue(field: { name: string; type: string }, text: string): unknown {
  if (text === "") return null;
  if (field.type === "boolean") return text === "true";
  if (field.type !== "json") return text;
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw new Error(`${field.name} is not JSON`);
  }
}
