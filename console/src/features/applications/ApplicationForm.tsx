import { useState } from "react";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { SchemaForm } from "../../ui/SchemaForm";
import { useEnvironmentList } from "../environments/environments";
import {
  useApplicationForms,
  useChoices,
  useSaveApplication,
  type Application,
  type ApplicationDocument,
  type ApplicationDraft,
} from "./applications";
import { Choose } from "./Choose";

/** Settings that have fields of their own here. */
const OWN = ["operations", "all_operations", "flows", "all_flows", "record_types", "all_record_types", "callers"];

/** What an application may use. item: null for a new one. */
export function ApplicationForm({
  project,
  item,
  onDone,
}: {
  project: string;
  item: Application | null;
  onDone: () => void;
}) {
  const forms = useApplicationForms(project);
  const environments = useEnvironmentList(project);
  const choices = useChoices(project);
  const save = useSaveApplication(project, item?.version ?? null);
  const [draft, setDraft] = useState<ApplicationDraft>(
    item ?? { name: "", title: "", environment: "test", document: {} },
  );
  const set = (change: Partial<ApplicationDocument>) =>
    setDraft({ ...draft, document: { ...draft.document, ...change } });
  const error = forms.error ?? environments.error ?? choices.error;
  if (!forms.data || !choices.data) return <ProblemAlert error={error} />;
  const { document } = draft;
  return (
    <form
      className="my-3 max-w-3xl border-l border-base-300 pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        const { name, title, environment } = draft;
        save.mutate({ name, title, environment, document }, { onSuccess: onDone });
      }}
    >
      <div className="grid gap-x-4 sm:grid-cols-3">
        {!item && (
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
        )}
        <Field label="Title">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full"
              value={draft.title}
              onChange={(event) => setDraft({ ...draft, title: event.target.value })}
            />
          )}
        </Field>
        <Field label="Environment" hint="its tokens are good for this one alone">
          {(id) => (
            <select
              id={id}
              className="select select-sm w-full"
              value={draft.environment}
              onChange={(event) => setDraft({ ...draft, environment: event.target.value })}
            >
              {environments.data?.map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <Choose
        legend="Operations that it may call"
        every="all, also those to come"
        items={choices.data.operations}
        chosen={document.operations ?? []}
        isAll={document.all_operations ?? false}
        onChosen={(operations) => set({ operations })}
        onAll={(all_operations) => set({ all_operations })}
      />
      <Choose
        legend="Flows that it may call"
        every="all, also those to come"
        items={choices.data.flows}
        chosen={document.flows ?? []}
        isAll={document.all_flows ?? false}
        onChosen={(flows) => set({ flows })}
        onAll={(all_flows) => set({ all_flows })}
      />
      <Choose
        legend="Records that it may read"
        every="those of all types, also of those to come"
        items={choices.data.types}
        chosen={document.record_types ?? []}
        isAll={document.all_record_types ?? false}
        onChosen={(record_types) => set({ record_types })}
        onAll={(all_record_types) => set({ all_record_types })}
      />
      <Callers types={choices.data.types} rule={document.callers ?? null} onRule={(callers) => set({ callers })} />
      <SchemaForm
        fields={forms.data.document.fields.filter((field) => !OWN.includes(field.name))}
        values={document}
        onValues={(values) => setDraft({ ...draft, document: values })}
      />
      <ProblemAlert error={save.error} />
      <div className="flex gap-2">
        <button type="submit" className="btn btn-primary btn-sm" disabled={save.isPending || !draft.name}>
          {item ? "Save" : "Make the application"}
        </button>
        <button type="button" className="btn btn-sm" onClick={onDone}>
          Leave it
        </button>
      </div>
    </form>
  );
}

type Rule = NonNullable<ApplicationDocument["callers"]>;
interface RecordTypeItem {
  name: string;
  document: { fields?: { name: string }[]; key?: string[] };
}

/** For which of its users an application may call: those whose kept record is in one of some states. */
function Callers({
  types,
  rule,
  onRule,
}: {
  types: RecordTypeItem[];
  rule: Rule | null;
  onRule: (rule: Rule | null) => void;
}) {
  const usable = types.filter((one) => one.document.key?.length === 1);
  const first = usable[0];
  const fields = types.find((one) => one.name === rule?.record_type)?.document.fields ?? [];
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 text-sm font-medium">Users that it may call for</legend>
      <label className="flex items-center gap-2 text-sm">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={rule !== null}
          disabled={!first && rule === null}
          onChange={(event) =>
            onRule(event.target.checked && first ? { record_type: first.name, field: "", values: [] } : null)
          }
        />
        only those whose kept record is in one of some states
      </label>
      {rule && (
        <div className="mt-1 flex flex-wrap items-end gap-2">
          <label className="flex flex-col text-xs">
            Their records
            <select
              className="select select-sm"
              value={rule.record_type}
              onChange={(event) => onRule({ ...rule, record_type: event.target.value, field: "" })}
            >
              {usable.map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
            </select>
          </label>
          <label className="flex flex-col text-xs">
            The field
            <select
              className="select select-sm"
              value={rule.field}
              onChange={(event) => onRule({ ...rule, field: event.target.value })}
            >
              <option value="">choose</option>
              {fields.map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
            </select>
          </label>
          <label className="flex min-w-52 flex-col text-xs">
            The states, parted by commas
            <input
              className="input input-sm"
              defaultValue={rule.values.join(", ")}
              onChange={(event) =>
                onRule({
                  ...rule,
                  values: event.target.value
                    .split(",")
                    .map((one) => one.trim())
                    .filter(Boolean),
                })
              }
            />
          </label>
        </div>
      )}
    </fieldset>
  );
}
