import { put } from "./edits";
import { useLastingTypes } from "./flows";
import type { Editing } from "./StepEditor";
import type { Step } from "./words";

type RecordsStep = Extract<Step, { type: "records" }>;
const ACTIONS: [RecordsStep["action"], string][] = [
  ["find", "finds"],
  ["keep", "makes, or writes whole,"],
  ["change", "changes fields of"],
  ["remove", "removes"],
];

/** What is done with which record. */
export function RecordsParts({
  step,
  place,
  project,
  document,
  onDocument,
}: Editing & { step: RecordsStep; place: string }) {
  const types = useLastingTypes(project);
  return (
    <p className="mb-2 flex flex-wrap items-center gap-2">
      <span>It</span>
      <select
        className="select select-xs w-44"
        aria-label="What it does with the record"
        value={step.action}
        onChange={(e) => onDocument(put(document, `${place}/action`, e.target.value))}
      >
        {ACTIONS.map(([action, words]) => (
          <option key={action} value={action}>
            {words}
          </option>
        ))}
      </select>
      <span>one record of</span>
      <select
        className="select select-xs w-44"
        aria-label="The type of the record"
        value={step.record_type}
        onChange={(e) => {
          // key and fields are those of the type that it was
          const { key: _, fields: __, ...rest } = step;
          onDocument(put(document, place, { ...rest, record_type: e.target.value }));
        }}
      >
        {!types.some((one) => one.name === step.record_type) && <option>{step.record_type}</option>}
        {types.map((one) => (
          <option key={one.name} value={one.name}>
            {one.title || one.name}
          </option>
        ))}
      </select>
    </p>
  );
}
