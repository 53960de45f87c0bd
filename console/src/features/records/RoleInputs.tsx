import type { Schemas } from "../../api/client";
import type { Column } from "./columns";
import type { BindingDocument, Role } from "./live";

type Bound = NonNullable<BindingDocument["find"]>;
type Listing = NonNullable<BindingDocument["list"]>;
type Source = NonNullable<Bound["inputs"]>[string];

const VERSION = "\u0000version";
const FIXED = "\u0000fixed";
const NOTHING = "";
const COMPARES = [
  ["equal", "is"],
  ["from", "at least"],
  ["to", "at most"],
  ["begins", "begins with"],
] as const;

/** What the inputs of an operation are given; of one that lists, which of them filter. */
export function RoleInputs({
  role,
  bound,
  inputs,
  fields,
  onChange,
}: {
  role: Role;
  bound: Bound | Listing;
  inputs: Schemas["Input"][];
  fields: Column[];
  onChange: (bound: Bound | Listing) => void;
}) {
  const given: Record<string, Source> = bound.inputs ?? {};
  if (inputs.length === 0) return null;
  const set = (name: string, source: Source | null) => {
    const next = { ...given };
    if (source) next[name] = source;
    else delete next[name];
    onChange({ ...bound, inputs: next });
  };
  const filters = "filters" in bound ? (bound.filters ?? []) : [];
  return (
    <ul className="mt-1.5 ml-20 grid gap-x-6 gap-y-1 pl-3 text-xs md:grid-cols-2">
      {inputs.map((input) => {
        const source = given[input.name];
        const filter = filters.find((one) => one.input === input.name);
        const isOpen = input.required && !source && !filter;
        return (
          <li key={input.name} className="flex flex-wrap items-center gap-2">
            <span className={`w-36 truncate font-mono ${isOpen ? "text-error" : ""}`}>
              {input.name}
              {input.required && " *"}
            </span>
            {source?.members && Object.keys(source.members).length > 0 ? (
              <span>
                an object of{" "}
                {Object.entries(source.members)
                  .map(([name, inner]) => (inner.field === name ? name : `${name} from ${inner.field}`))
                  .join(", ")}
              </span>
            ) : (
              <select
                className="select select-xs w-44"
                aria-label={`${role}: what ${input.name} is given`}
                value={
                  filter
                    ? `${filter.field}\u0000${filter.compare ?? "equal"}`
                    : source?.field || (source?.version ? VERSION : source ? FIXED : NOTHING)
                }
                onChange={(event) => {
                  const value = event.target.value;
                  if (role === "list") {
                    const rest = filters.filter((one) => one.input !== input.name);
                    const [field = "", compare = "equal"] = value.split("\u0000");
                    const added = value && value !== FIXED ? [{ input: input.name, field, compare }] : [];
                    onChange({ ...bound, filters: [...rest, ...added] } as Listing);
                  } else if (value === VERSION) set(input.name, { version: true });
                  else set(input.name, value && value !== FIXED ? { field: value } : null);
                }}
              >
                <option value={NOTHING}>nothing</option>
                {source && !source.field && !source.version && (
                  <option value={FIXED}>{JSON.stringify(source.value)}</option>
                )}
                {role !== "list" && <option value={VERSION}>the version that was read</option>}
                {role === "list"
                  ? fields.flatMap(({ name, type }) =>
                      COMPARES.filter(([compare]) => compare !== "begins" || type === "text").map(
                        ([compare, words]) => (
                          <option key={name + compare} value={`${name}\u0000${compare}`}>
                            filter: {name} {words}
                          </option>
                        ),
                      ),
                    )
                  : fields.map(({ name }) => <option key={name}>{name}</option>)}
              </select>
            )}
            {isOpen && <span className="text-error">nothing is given for it yet</span>}
          </li>
        );
      })}
    </ul>
  );
}
