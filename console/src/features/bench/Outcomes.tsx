import { Trash2 } from "lucide-react";
import type { OperationDocument } from "./bench";
import { comparedText, comparedWith, comparisonOf, useMappingForms } from "./forms";

type Rules = NonNullable<OperationDocument["outcomes"]>;
type FailureRule = NonNullable<Rules["failures"]>[number];
type Condition = NonNullable<FailureRule["when"]>[number];
type Form = NonNullable<Rules["forms"]>[number];
/** The standards' forms of errors, which are recognised whatever the status. */
const FORMS: Record<Form, string> = {
  graphql: "GraphQL errors",
  odata: "OData error",
  soap: "SOAP fault",
  problem: "problem document",
};

const plain = (source: unknown) => (typeof source === "string" ? source : "");

/** What responses mean beside their status: nothing found, and failures that come with a good status. */
export function Outcomes({
  project,
  document,
  onDocument,
}: {
  project: string;
  document: OperationDocument;
  onDocument: (document: OperationDocument) => void;
}) {
  const { comparisons } = useMappingForms(project);
  const rules = document.outcomes ?? {};
  const nothing = rules.nothing_found ?? {};
  const failures = rules.failures ?? [];
  const set = (change: Partial<Rules>) => onDocument({ ...document, outcomes: { ...rules, ...change } });
  const forms = rules.forms ?? (Object.keys(FORMS) as Form[]);
  const put = (at: number, rule: FailureRule) =>
    set({ failures: failures.map((one, number) => (number === at ? rule : one)) });
  return (
    <details
      className="mt-4 mb-3 text-xs"
      open={failures.length > 0 || rules.forms != null || (nothing.statuses?.length ?? 0) > 0 || Boolean(nothing.empty)}
    >
      <summary className="cursor-pointer text-sm font-medium">What a response means</summary>
      <label className="mt-1 flex flex-wrap items-center gap-1">
        nothing was found: status
        <input
          key={(nothing.statuses ?? []).join()}
          className="input input-xs w-20 font-mono"
          aria-label="Statuses of nothing found"
          placeholder="404"
          defaultValue={(nothing.statuses ?? []).join(", ")}
          onBlur={(e) =>
            set({ nothing_found: { ...nothing, statuses: e.target.value.split(/\D+/).filter(Boolean).map(Number) } })
          }
        />
      </label>
      <label className="mt-1 flex flex-wrap items-center gap-1">
        or nothing at
        <input
          className="input input-xs w-32 font-mono"
          aria-label="Place that is empty when nothing was found"
          placeholder="trees"
          value={plain(nothing.empty)}
          onChange={(e) => set({ nothing_found: { ...nothing, empty: e.target.value || null } })}
        />
      </label>
      <fieldset className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
        <legend className="float-left mr-2">failures are recognised by</legend>
        {(Object.entries(FORMS) as [Form, string][]).map(([form, words]) => (
          <label key={form} className="flex items-center gap-1">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={forms.includes(form)}
              onChange={(e) =>
                set({
                  forms:
                    e.target.checked && forms.length === 3
                      ? null
                      : e.target.checked
                        ? [...forms, form]
                        : forms.filter((one) => one !== form),
                })
              }
            />
            {words}
          </label>
        ))}
      </fieldset>
      {failures.map((rule, number) => {
        if (rule.text !== undefined && !rule.when?.length) {
          return (
            <div key={number} className="mt-1 flex flex-wrap items-center gap-1 border-l-2 border-error pl-2">
              failed if its text has
              <input
                className="input input-xs w-40 font-mono"
                aria-label={`text of failure ${number + 1}`}
                value={rule.text}
                onChange={(e) => put(number, { text: e.target.value })}
              />
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                aria-label={`take away failure ${number + 1}`}
                onClick={() => set({ failures: failures.filter((_, at) => at !== number) })}
              >
                <Trash2 className="size-3.5" aria-hidden />
              </button>
            </div>
          );
        }
        const condition = rule.when?.[0] ?? { from: "" };
        const change = (part: Partial<Condition>) =>
          put(number, { ...rule, when: [{ ...condition, ...part }, ...(rule.when ?? []).slice(1)] });
        const comparison = comparisonOf(comparisons, condition.is);
        return (
          <div key={number} className="mt-1 flex flex-wrap items-center gap-1 border-l-2 border-error pl-2">
            failed if
            <input
              className="input input-xs w-24 font-mono"
              aria-label={`place of failure ${number + 1}`}
              placeholder="status"
              value={plain(condition.from)}
              onChange={(e) => change({ from: e.target.value })}
            />
            <select
              className="select select-xs w-24"
              aria-label={`comparison of failure ${number + 1}`}
              value={condition.is ?? "equal"}
              onChange={(e) => {
                const is = e.target.value as NonNullable<Condition["is"]>;
                const { value: _, ...rest } = condition;
                put(number, {
                  ...rule,
                  when: [
                    {
                      ...rest,
                      is,
                      value: comparedWith(comparisonOf(comparisons, is), comparedText(condition.value), true),
                    },
                  ],
                });
              }}
            >
              {comparisons.map((one) => (
                <option key={one.name} value={one.name}>
                  {one.words}
                </option>
              ))}
            </select>
            {comparison.takes !== "nothing" && (
              <input
                className="input input-xs w-20 font-mono"
                aria-label={`value of failure ${number + 1}`}
                value={comparedText(condition.value)}
                onChange={(e) => change({ value: comparedWith(comparison, e.target.value, true) })}
              />
            )}
            its message at
            <input
              className="input input-xs w-24 font-mono"
              aria-label={`message of failure ${number + 1}`}
              placeholder="message"
              value={plain(rule.message)}
              onChange={(e) => put(number, { ...rule, message: e.target.value || null })}
            />
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              aria-label={`take away failure ${number + 1}`}
              onClick={() => set({ failures: failures.filter((_, at) => at !== number) })}
            >
              <Trash2 className="size-3.5" aria-hidden />
            </button>
          </div>
        );
      })}
      <button
        type="button"
        className="link mt-1"
        onClick={() => set({ failures: [...failures, { when: [{ from: "error", is: "present" }] }] })}
      >
        a failure that comes with a good status
      </button>
      {" · "}
      <button type="button" className="link mt-1" onClick={() => set({ failures: [...failures, { text: "error" }] })}>
        a text that tells of one
      </button>
    </details>
  );
}
