import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import {
  ROLES,
  useBinding,
  useMapping,
  useOperationNames,
  useProposal,
  useSaveBinding,
  type BindingDocument,
  type RecordUses,
  type Role,
} from "./live";
import { useRecordType } from "./records";
import { RoleInputs } from "./RoleInputs";

const KINDS: { kind: RecordUses["kind"]; title: string; words: string }[] = [
  {
    kind: "kept",
    title: "Kept",
    words: "copies in the database, filled by feeds; quick to search, as old as the last run",
  },
  { kind: "live", title: "Live", words: "asked of the service whenever they are read, and changed there; never older" },
  { kind: "passing", title: "Passing", words: "there for the length of a run or call, and kept nowhere" },
];
const DOES: Record<Role, string> = {
  list: "lists records",
  find: "finds one by its key",
  create: "makes one",
  change: "changes some of its fields",
  replace: "writes it whole",
  remove: "removes it",
};

/** How the records of a type are found and changed: kept, live or passing, and the operations that do it. */
export default function BindingPage() {
  const { project = "", type = "" } = useParams();
  const recordType = useRecordType(project, type);
  const binding = useBinding(project, type);
  const proposal = useProposal(project, { record_type: type, mapping: "", operations: {} });
  if (!recordType.data || binding.data === undefined)
    return <NotYet title={type} what="Reading the record type" error={recordType.error ?? binding.error} />;
  const first = binding.data?.document ?? proposal.data?.document;
  return (
    <Page
      title={`How ${recordType.data.title || type} are found`}
      aside={
        <Link className="link text-sm" to={`/p/${project}/records/${type}`}>
          its records
        </Link>
      }
    >
      {!first && <ProblemAlert error={proposal.error} />}
      {first && (
        <Editor
          key={`${binding.data?.version ?? 0} ${recordType.data.version}`}
          project={project}
          recordType={recordType.data}
          before={binding.data}
          first={first}
        />
      )}
    </Page>
  );
}

function Editor({
  project,
  recordType,
  before,
  first,
}: {
  project: string;
  recordType: Schemas["RecordType"];
  before: Schemas["Binding"] | null;
  first: BindingDocument;
}) {
  const [kind, setKind] = useState<RecordUses["kind"]>(before ? (recordType.document.kind ?? "kept") : "live");
  const [document, setDocument] = useState(first);
  const [chosen, setChosen] = useState<Partial<Record<Role, string>>>({});
  const asked = { record_type: recordType.name, mapping: document.mapping, operations: chosen };
  const proposal = useProposal(project, asked);
  const mapping = useMapping(project, document.mapping);
  const operations = useOperationNames(project, mapping.data?.service ?? "");
  const save = useSaveBinding(project, recordType, before);
  const navigate = useNavigate();
  const candidates = new Map(proposal.data?.candidates.map((one) => [one.role, one.operations]));
  const byName = new Map(operations.data?.items.map((one) => [one.name, one]));
  const choose = (role: Role, name: string) => {
    if (!name) return setDocument({ ...document, [role]: null });
    if (name === document[role]?.operation) return undefined;
    setChosen({ ...chosen, [role]: name });
    setDocument({ ...document, [role]: { operation: name, inputs: {} } });
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        const saved = save.mutateAsync({ document, kind });
        // the form may be gone by then: what was saved is read again
        saved.then(
          () => void navigate(`/p/${project}/records/${recordType.name}`),
          () => undefined,
        );
      }}
    >
      <fieldset className="mb-5 grid max-w-4xl gap-3 sm:grid-cols-3">
        <legend className="mb-2 text-xs font-semibold tracking-wider text-secondary uppercase">Its records are</legend>
        {KINDS.map((one) => (
          <label
            key={one.kind}
            className={`rounded-box border px-3 py-2 text-sm ${kind === one.kind ? "border-accent bg-accent/8" : "border-base-300"}`}
          >
            <span className="flex items-center gap-2 font-medium">
              <input
                type="radio"
                name="kind"
                className="radio radio-xs"
                checked={kind === one.kind}
                onChange={() => setKind(one.kind)}
              />
              {one.title}
            </span>
            <span className="mt-0.5 block text-xs opacity-80">{one.words}</span>
          </label>
        ))}
      </fieldset>
      {(before?.problems ?? []).map((one) => (
        <p key={one.where + one.message} role="alert" className="mb-2 text-sm text-error">
          <span className="font-mono text-xs">{one.where}</span> {one.message}
          {one.hint && ` (${one.hint})`}
        </p>
      ))}
      <Heading>Operations of {mapping.data?.service ?? "the service"}</Heading>
      <p className="mb-3 max-w-3xl text-xs opacity-80">
        Their answers are read by mapping <code>{document.mapping}</code>; what is written goes the same way back. Each
        choice was proposed from the definition, and can be changed.
      </p>
      {ROLES.map((role) => {
        const bound = document[role];
        const proposed = proposal.data?.document[role];
        const likely = candidates.get(role) ?? [];
        const others = [...byName.keys()].filter((name) => !likely.includes(name));
        return (
          <section key={role} className="border-t border-base-300 py-2.5">
            <div className="flex flex-wrap items-center gap-3 text-sm">
              <span className="w-20 font-medium">{role}</span>
              <select
                className="select select-sm w-64 font-mono text-xs"
                aria-label={`Operation that ${DOES[role]}`}
                value={bound?.operation ?? ""}
                onChange={(event) => choose(role, event.target.value)}
              >
                <option value="">none: it cannot</option>
                {bound && !byName.has(bound.operation) && <option>{bound.operation}</option>}
                {likely.length > 0 && (
                  <optgroup label="likely">
                    {likely.map((name) => (
                      <option key={name}>{name}</option>
                    ))}
                  </optgroup>
                )}
                <optgroup label="others of the service">
                  {others.map((name) => (
                    <option key={name}>{name}</option>
                  ))}
                </optgroup>
              </select>
              <span className="text-xs opacity-80">{DOES[role]}</span>
              {proposed && chosen[role] !== undefined && proposed.operation === bound?.operation && (
                <button
                  type="button"
                  className="link text-xs"
                  onClick={() => setDocument({ ...document, [role]: proposed })}
                >
                  fill in its inputs
                </button>
              )}
            </div>
            {bound && (
              <RoleInputs
                role={role}
                bound={bound}
                inputs={byName.get(bound.operation)?.document.inputs ?? []}
                fields={recordType.document.fields ?? []}
                onChange={(next) => setDocument({ ...document, [role]: next })}
              />
            )}
          </section>
        );
      })}
      <div className="mt-3 grid max-w-4xl gap-x-4 sm:grid-cols-3">
        <Count
          label="Answers may be used again for"
          unit="seconds"
          hint="by whoever permits that age; 0: never"
          value={document.max_age ?? 0}
          onChange={(max_age) => setDocument({ ...document, max_age })}
        />
        <Count
          label="And while the service is away, for"
          unit="seconds more"
          hint="told as old"
          value={document.stale_for ?? 0}
          onChange={(stale_for) => setDocument({ ...document, stale_for })}
        />
        <Count
          label="Filters done here go through"
          unit="rows at most"
          hint="of what the service cannot filter"
          value={document.most_local ?? 5000}
          onChange={(most_local) => setDocument({ ...document, most_local })}
        />
      </div>
      <ProblemAlert error={save.error} />
      <button className="btn btn-sm btn-primary mt-2" disabled={save.isPending}>
        {save.isPending ? "Saving" : "Save"}
      </button>
    </form>
  );
}

function Count({
  label,
  unit,
  hint,
  value,
  onChange,
}: {
  label: string;
  unit: string;
  hint: string;
  value: number;
  onChange: (value: number) => void;
}) {
  return (
    <Field label={label} hint={hint} aside={unit}>
      {(id) => (
        <input
          id={id}
          type="number"
          min={0}
          className="input input-sm w-full font-mono"
          value={value}
          onChange={(event) => onChange(Number(event.target.value))}
        />
      )}
    </Field>
  );
}
