import { useState } from "react";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";
import { useCaseParts, useRecordCase } from "./cases";

/** Records a case of a kept response: what comes of it now is what is expected. */
export function CaseForm({ project, onDone }: { project: string; onDone: () => void }) {
  const parts = useCaseParts(project);
  const record = useRecordCase(project);
  const [draft, setDraft] = useState({ name: "", operation: "", sample: "", mapping: "" });
  const [typed, setTyped] = useState<Record<string, string>>({});
  if (!parts.data) return <ProblemAlert error={parts.error} />;
  const { operations, samples, mappings } = parts.data;
  const operation = operations.find((one) => one.name === draft.operation);
  const inputs = operation?.document.inputs ?? [];
  const choices = {
    operation: operations.map((one) => one.name),
    sample: samples.filter((one) => one.operation === draft.operation).map((one) => one.name),
    mapping: mappings.filter((one) => one.service === operation?.service).map((one) => one.name),
  };
  const none = { operation: "choose", sample: "none: the request alone", mapping: "none" };
  return (
    <form
      className="mb-5 max-w-4xl border-l-2 border-accent pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        const given = Object.fromEntries(Object.entries(typed).filter(([, text]) => text !== ""));
        record.mutate({ ...draft, inputs: given }, { onSuccess: onDone });
      }}
    >
      <div className="grid gap-x-4 sm:grid-cols-2 lg:grid-cols-4">
        <Field label="Name" hint="small letters, digits and hyphens">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono text-xs"
              value={draft.name}
              onChange={(event) => setDraft({ ...draft, name: event.target.value })}
            />
          )}
        </Field>
        {(["operation", "sample", "mapping"] as const).map((part) => (
          <Field
            key={part}
            label={part === "sample" ? "Recorded response" : part === "operation" ? "Operation" : "Mapping"}
            hint={part === "sample" && draft.operation && choices.sample.length === 0 ? "keep one on the bench" : ""}
          >
            {(id) => (
              <select
                id={id}
                className="select select-sm w-full"
                value={draft[part]}
                onChange={(event) => {
                  const value = event.target.value;
                  if (part !== "operation") return setDraft({ ...draft, [part]: value });
                  const chosen = operations.find((one) => one.name === value);
                  setTyped(
                    Object.fromEntries((chosen?.document.inputs ?? []).map((one) => [one.name, asText(one.try_value)])),
                  );
                  return setDraft({ ...draft, operation: value, sample: "", mapping: "" });
                }}
              >
                <option value="">{none[part]}</option>
                {choices[part].map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            )}
          </Field>
        ))}
        {inputs.map((input) => (
          <Field key={input.name} label={`Input ${input.name}`} aside={input.required ? "required" : undefined}>
            {(id) => (
              <input
                id={id}
                className="input input-sm w-full"
                value={typed[input.name] ?? ""}
                onChange={(event) => setTyped({ ...typed, [input.name]: event.target.value })}
              />
            )}
          </Field>
        ))}
      </div>
      <ProblemAlert error={record.error} />
      <p className="mt-2 flex gap-2">
        <button className="btn btn-sm btn-primary" disabled={record.isPending || !draft.name || !draft.operation}>
          {record.isPending ? "Recording" : "Record what comes of it now"}
        </button>
        <button type="button" className="btn btn-sm" onClick={onDone}>
          Cancel
        </button>
      </p>
    </form>
  );
}
