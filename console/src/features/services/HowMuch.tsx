import { Plus, Trash2 } from "lucide-react";
import type { Schemas } from "../../api/client";
import { Field, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { type ConnectionDocument, type PartProps, useDecideWait, useMeter } from "./connection";

type Limit = Schemas["Limit"];
const SPANS = ["second", "minute", "hour", "day", "month"] as const;

/** How much the service allows: limits with their meters, and calls at a time. */
export function HowMuch({
  document,
  readOnly,
  onDocument,
  project,
  name,
}: PartProps & { project: string; name: string }) {
  const meter = useMeter(project, name);
  const decide = useDecideWait(project, name);
  const mayRun = usePermission(project, "run");
  const limits = document.limits ?? [];
  const set = (change: Partial<ConnectionDocument>) => onDocument({ ...document, ...change });
  const setLimit = (number: number, change: Partial<Limit>) =>
    set({ limits: limits.map((one, at) => (at === number ? { ...one, ...change } : one)) });
  return (
    <>
      {limits.length === 0 && (
        <p className="mb-2 text-sm opacity-80">
          No limit is kept. What the service itself says (Retry-After, RateLimit) is always obeyed.
        </p>
      )}
      <ul>
        {limits.map((limit, number) => {
          const now = meter.data?.limits[number];
          return (
            <li key={number} className="mb-3">
              <div className="flex flex-wrap items-center gap-2 text-sm">
                <input
                  className="input input-sm w-28 text-right"
                  inputMode="numeric"
                  aria-label="Calls"
                  value={limit.calls}
                  readOnly={readOnly}
                  onChange={(e) => setLimit(number, { calls: Number(e.target.value.replace(/\D/g, "")) || 1 })}
                />
                calls in
                <input
                  className="input input-sm w-16 text-right"
                  inputMode="numeric"
                  aria-label="How many spans"
                  value={limit.every ?? 1}
                  readOnly={readOnly}
                  onChange={(e) => setLimit(number, { every: Number(e.target.value.replace(/\D/g, "")) || 1 })}
                />
                <select
                  className="select select-sm w-36"
                  aria-label="Span"
                  value={limit.span ?? "second"}
                  disabled={readOnly}
                  onChange={(e) => setLimit(number, { span: e.target.value as Limit["span"] })}
                >
                  {SPANS.map((span) => (
                    <option key={span} value={span}>
                      {span === "month" ? "calendar month" : span}
                    </option>
                  ))}
                </select>
                {!readOnly && (
                  <button
                    type="button"
                    className="btn btn-ghost btn-sm px-2"
                    aria-label="Remove this limit"
                    onClick={() => set({ limits: limits.filter((_, at) => at !== number) })}
                  >
                    <Trash2 className="size-4" aria-hidden />
                  </button>
                )}
              </div>
              {now && now.calls === limit.calls && (
                <div className="mt-1 max-w-md">
                  <progress
                    className={`progress w-full ${now.left === 0 ? "progress-error" : now.left < now.calls / 10 ? "progress-warning" : "progress-success"}`}
                    value={now.used}
                    max={now.calls}
                    aria-label={now.words}
                  />
                  <p className="text-xs opacity-75">
                    {now.used.toLocaleString()} used, {now.left.toLocaleString()} left
                    {now.refills_at && now.used > 0
                      ? `; refills ${when(new Date(now.refills_at * 1000).toISOString())}`
                      : ""}
                  </p>
                </div>
              )}
            </li>
          );
        })}
      </ul>
      {meter.data?.held_until && (
        <p className="mb-2 border-l-2 border-warning pl-2 text-sm">
          Held back until {when(new Date(meter.data.held_until * 1000).toISOString())}: {meter.data.held_why}{" "}
          {mayRun && (
            <span className="flex gap-3 text-xs">
              <button type="button" className="link" disabled={decide.isPending} onClick={() => decide.mutate(false)}>
                call again now
              </button>
              {meter.data.asked_until && (
                <button type="button" className="link" disabled={decide.isPending} onClick={() => decide.mutate(true)}>
                  wait as long as it asked, until {when(new Date(meter.data.asked_until * 1000).toISOString())}
                </button>
              )}
            </span>
          )}
        </p>
      )}
      <ProblemAlert error={decide.error} />
      {(meter.data?.operations.length ?? 0) > 0 && (
        <div className="mb-3 text-xs">
          <p className="opacity-75">calls of the last 24 hours</p>
          <ul>
            {meter.data!.operations.map((one) => (
              <li key={one.operation}>
                <span className="font-mono">{one.operation}</span> {one.calls.toLocaleString()}
              </li>
            ))}
          </ul>
        </div>
      )}
      <div className="flex flex-wrap items-end gap-4">
        {!readOnly && (
          <button
            type="button"
            className="btn btn-sm mb-3"
            onClick={() => set({ limits: [...limits, { calls: 10, span: SPANS[limits.length % SPANS.length] }] })}
          >
            <Plus className="size-4" aria-hidden /> Add a limit
          </button>
        )}
        <Field label="Calls at a time" hint={meter.data?.parallel ? `${meter.data.under_way} under way` : undefined}>
          {(id) => (
            <input
              id={id}
              className="input input-sm w-28"
              inputMode="numeric"
              placeholder="any number"
              value={document.parallel ?? ""}
              readOnly={readOnly}
              onChange={(e) => set({ parallel: Number(e.target.value.replace(/\D/g, "")) || null })}
            />
          )}
        </Field>
      </div>
    </>
  );
}
