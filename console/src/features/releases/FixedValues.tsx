import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useFixedValues, useNameValue } from "./releases";

/** Values that are written into operations and mappings, and what each may become. */
export function FixedValues({ project, mayBuild }: { project: string; mayBuild: boolean }) {
  const found = useFixedValues(project);
  const name = useNameValue(project);
  const [isOpen, setOpen] = useState(false);
  if (found.error) return <ProblemAlert error={found.error} />;
  if (!found.data) return null;
  const { items, is_all: isAll } = found.data;
  if (items.length === 0)
    return <p className="mt-3 text-sm opacity-80">No fixed value is left in operations and mappings.</p>;
  return (
    <div className="mt-3 text-sm">
      <button
        type="button"
        className="cursor-pointer text-left font-semibold hover:underline"
        aria-expanded={isOpen}
        onClick={() => setOpen(!isOpen)}
      >
        {items.length}
        {!isAll && " and more"} fixed value{items.length === 1 ? " is" : "s are"} left in operations and mappings
      </button>
      {isOpen && (
        <ul className="mt-1">
          {items.map((one) => (
            <OneValue
              key={`${one.kind} ${one.item} ${one.place}`}
              value={one}
              mayBuild={mayBuild && !name.isPending}
              onName={() => name.mutate(one)}
            />
          ))}
        </ul>
      )}
      <ProblemAlert error={name.error} />
    </div>
  );
}

function OneValue({
  value,
  mayBuild,
  onName,
}: {
  value: Schemas["FixedValueItem"];
  mayBuild: boolean;
  onName: () => void;
}) {
  return (
    <li className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-1">
      <span>
        <span className="opacity-80">{value.kind}</span>{" "}
        {value.kind === "operation" ? (
          <Link className="link" to={`../operations/${value.item}`}>
            {value.item}
          </Link>
        ) : (
          <span className="font-medium">{value.item}</span>
        )}
      </span>
      <span className="font-mono text-xs break-all">
        {value.name} = {value.value}
      </span>
      {value.is_guess && <span className="text-xs opacity-80">may belong to the address</span>}
      {mayBuild && (
        <button
          type="button"
          className="btn btn-ghost btn-xs ml-auto"
          aria-label={`Make ${value.name} of ${value.item} ${value.becomes === "input" ? "an input" : "a standing value"}`}
          onClick={onName}
        >
          {value.becomes === "input" ? "Make it an input" : "Make it a standing value"}
        </button>
      )}
    </li>
  );
}
