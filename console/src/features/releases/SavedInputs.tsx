import { useSavedInputs } from "./cases";

/** The inputs of a test case in place of typing: those that are wanted here, whatever the case is of. */
export function SavedInputs({
  project,
  names,
  onChoose,
}: {
  project: string;
  /** Of the inputs that are wanted. */
  names: string[];
  onChoose: (inputs: Record<string, unknown>) => void;
}) {
  const cases = useSavedInputs(project, names);
  if (cases.length === 0) return null;
  return (
    <label className="mb-3 flex items-center gap-2 text-xs">
      <span className="opacity-80">Fill from a test case</span>
      <select
        className="select select-xs w-36"
        value=""
        onChange={(e) => {
          const held = cases.find((one) => one.name === e.target.value)?.document.inputs ?? {};
          onChoose(Object.fromEntries(Object.entries(held).filter(([name]) => names.includes(name))));
        }}
      >
        <option value="">choose</option>
        {cases.map((one) => (
          <option key={one.name} value={one.name}>
            {one.name}, of {one.document.operation || `flow ${one.document.flow}`}
          </option>
        ))}
      </select>
    </label>
  );
}
