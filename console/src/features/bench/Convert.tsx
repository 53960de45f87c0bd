import { X } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { SchemaForm } from "../../ui/SchemaForm";
import { useMappingForms } from "./forms";
import type { Conversion, Rule } from "./plan";

/** A step in a few words: what it is, and what was said of it. */
export function stepWords(step: Conversion): string {
  const { type, ...rest } = step as { type: string } & Record<string, unknown>;
  const isNamed = type === "arithmetic" || type === "substring" || type === "affix";
  const said = Object.entries(rest)
    .filter(([, one]) => one !== false && one !== "")
    .map(([key, one]) =>
      isNamed
        ? `${key} ${String(one)}`
        : Array.isArray(one)
          ? one.join(" or ")
          : typeof one === "object" && one !== null
            ? Object.entries(one)
                .slice(0, 3)
                .map(([from, to]) => `${from}=${String(to)}`)
                .join(" ")
            : String(one),
    );
  return [type === "arithmetic" ? "" : type, ...said].filter(Boolean).join(" ");
}

interface Props {
  project: string;
  rule: Rule;
  /** What is known of the value in the response. */
  line: Schemas["OutlineItem"] | undefined;
  /** What it is after the steps. */
  after: React.ReactNode;
  readOnly: boolean;
  onRule: (change: Partial<Rule>) => void;
}

/** The steps from a value in the response to its field, with what it is before and after them. */
export function Convert({ project, rule, line, after, readOnly, onRule }: Props) {
  const { name, convert: steps = [] } = rule;
  const kinds = line?.types.filter((one) => one !== "null") ?? [];
  const before = line?.examples[0];
  const onSteps = (convert: Conversion[]) => onRule({ convert });
  const forms = useMappingForms(project).conversions;
  const [open, setOpen] = useState<number | null>(null);
  const change = (at: number, values: Record<string, unknown>) =>
    onSteps(steps.map((one, number) => (number === at ? ({ ...values, type: one.type } as Conversion) : one)));
  const form = open !== null ? forms.find((one) => one.type === steps[open]?.type) : undefined;
  const fitting = forms.filter((one) => kinds.length === 0 || one.fits.some((kind) => kinds.includes(kind)));
  const others = forms.filter((one) => !fitting.includes(one));
  const add = (type: string) => {
    const made = forms.find((one) => one.type === type);
    if (!made) return;
    const begun = Object.fromEntries(
      made.fields
        .filter((one) => one.is_required)
        .map((one) => [
          one.name,
          one.kind === "list"
            ? [type === "date" ? "dd.MM.yyyy" : type === "datetime" ? "yyyy-MM-dd HH:mm" : ""]
            : one.kind === "map"
              ? {}
              : one.kind === "choice"
                ? (one.choices[0] ?? "")
                : " ",
        ]),
    );
    onSteps([
      ...steps,
      {
        ...begun,
        ...(type === "datetime" ? { zone: "UTC" } : type === "arithmetic" ? { multiply: "1" } : {}),
        type,
      } as Conversion,
    ]);
    setOpen(steps.length);
  };
  return (
    <div className="mt-1 mb-2 ml-7 w-full border-l border-base-300 pl-3 text-xs">
      <p className="mb-1 flex flex-wrap items-center gap-1 font-mono">
        {before !== undefined && (
          <span className="max-w-40 truncate" title={before}>
            {before}
          </span>
        )}
        {steps.map((step, number) => (
          <span
            key={number}
            className={`inline-flex items-center gap-1 rounded-selector px-1.5 py-0.5 ${open === number ? "bg-accent/25" : "bg-accent/12"} text-accent`}
          >
            <span className="opacity-60">→</span>
            <button
              type="button"
              className="cursor-pointer"
              aria-expanded={open === number}
              aria-label={`step ${number + 1} of ${name}`}
              onClick={() => setOpen(open === number ? null : number)}
            >
              {stepWords(step)}
            </button>
            {!readOnly && (
              <button
                type="button"
                aria-label={`take away step ${number + 1} of ${name}`}
                onClick={() => {
                  setOpen(null);
                  onSteps(steps.filter((_, at) => at !== number));
                }}
              >
                <X className="size-3" aria-hidden />
              </button>
            )}
          </span>
        ))}
        {steps.length > 0 && (
          <>
            <span className="opacity-60">→</span> <span className="max-w-40 truncate">{after}</span>
          </>
        )}
      </p>
      {form && open !== null && (
        <div className="mb-2 rounded-field bg-base-200 p-2">
          <p className="mb-1 opacity-80">{form.words}</p>
          <SchemaForm
            key={`${open} ${form.type}`}
            fields={form.fields}
            values={steps[open] as unknown as Record<string, unknown>}
            readOnly={readOnly}
            onValues={(values) => change(open, values)}
          />
        </div>
      )}
      {!readOnly && (
        <span className="flex flex-wrap items-center gap-2">
          <select
            className="select select-xs w-44"
            aria-label={`add a step to ${name}`}
            value=""
            onChange={(e) => add(e.target.value)}
          >
            <option value="">convert it</option>
            <optgroup label="fits this value">
              {fitting.map((one) => (
                <option key={one.type} value={one.type}>
                  {one.title.toLowerCase()}
                </option>
              ))}
            </optgroup>
            {others.length > 0 && (
              <optgroup label="others">
                {others.map((one) => (
                  <option key={one.type} value={one.type}>
                    {one.title.toLowerCase()}
                  </option>
                ))}
              </optgroup>
            )}
          </select>
          <label className="flex items-center gap-1">
            a value that does not fit
            <select
              className="select select-xs w-36"
              aria-label={`what a failure of ${name} does`}
              value={rule.on_failure ?? "reject"}
              onChange={(e) => onRule({ on_failure: e.target.value as Rule["on_failure"] })}
            >
              <option value="reject">rejects its row</option>
              <option value="empty">leaves it empty</option>
              <option value="stop">stops the run</option>
            </select>
          </label>
        </span>
      )}
    </div>
  );
}
