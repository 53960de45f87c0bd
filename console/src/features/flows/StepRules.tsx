import type { Schemas } from "../../api/client";
import { TypeSelect } from "../bench/TypeSelect";
import { Conditions } from "./Conditions";
import { put } from "./edits";
import { IfItFails } from "./Failures";
import type { Editing } from "./StepEditor";
import { Typed } from "./Typed";
import { sourceWords, type AskStep, type Step } from "./words";

export type Set = (pointer: string, value: unknown) => void;

/** What holds for a step besides what it does: its time, what it keeps, what happens if it fails, who may cause it. */
export function StepRules({
  step,
  place,
  offers,
  ...editing
}: Editing & { step: Step; place: string; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const set: Set = (pointer, value) => onDocument(put(document, `${place}${pointer}`, value));
  const canFail = step.type === "ask" || step.type === "records" || step.type === "pause";
  return (
    <div className="flex flex-wrap items-end gap-x-3 gap-y-1">
      {step.type === "ask" && !step.ask && <SuccessOf step={step} onSet={set} />}
      {canFail && (
        <>
          <Seconds
            label="Time limit, seconds"
            value={step.time_limit ?? null}
            onValue={(value) => set("/time_limit", value)}
          />
          <IfItFails rules={step.on_failure ?? []} onSet={set} />
          <Kept values={step.keep ?? []} onSet={set} />
        </>
      )}
      <details className="w-full">
        <summary className="cursor-pointer">Who may cause it, and when</summary>
        <Only step={step} place={place} offers={offers} {...editing} />
      </details>
    </div>
  );
}

export function Named({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <label>
      <span className="block opacity-75">{label}</span>
      {children}
    </label>
  );
}

/** A number of seconds, blank for none. */
export function Seconds({
  label,
  value,
  onValue,
}: {
  label: string;
  value: number | null;
  onValue: (value: number | undefined) => void;
}) {
  return (
    <Named label={label}>
      <Typed
        className="input input-xs w-24"
        inputMode="decimal"
        value={value}
        write={(number) => (number === null ? "" : String(number))}
        read={(text) => (text === "" ? null : Number(text) > 0 ? Number(text) : undefined)}
        onValue={(number) => onValue(number ?? undefined)}
      />
    </Named>
  );
}

function SuccessOf({ step, onSet }: { step: AskStep; onSet: Set }) {
  const type = step.success?.type ?? "all";
  return (
    <Named label="It has succeeded">
      <select
        className="select select-xs w-64"
        value={type}
        onChange={(e) =>
          onSet("/success", e.target.value === "at_least" ? { type: "at_least", count: 1 } : { type: e.target.value })
        }
      >
        <option value="all">if all have</option>
        <option value="what_succeeds">with what succeeds, failures beside it</option>
        <option value="at_least">if so many have</option>
        <option value="first">with the first that does</option>
      </select>
      {step.success?.type === "at_least" && (
        <input
          className="input input-xs ml-1 w-14"
          aria-label="How many"
          type="number"
          min={1}
          value={step.success.count}
          onChange={(e) => onSet("/success/count", Math.max(1, Number(e.target.value)))}
        />
      )}
    </Named>
  );
}

/** The values that a step keeps for later ones. */
function Kept({ values, onSet }: { values: Schemas["KeepValue"][]; onSet: Set }) {
  if (values.length === 0) return null;
  return (
    <ul className="w-full" aria-label="It keeps">
      {values.map((one, number) => (
        <li key={one.name} className="flex flex-wrap items-center gap-2 border-t border-base-300 py-1">
          <span className="opacity-75">keeps</span>
          <span className="font-mono">{one.name}</span>
          <span className="opacity-75">from {sourceWords(one.from)} as</span>
          <TypeSelect
            className="w-28"
            label={`Type of ${one.name}`}
            value={one.type ?? "text"}
            onType={(type) => onSet(`/keep/${number}/type`, type)}
          />
          <label className="flex items-center gap-1">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              aria-label={`${one.name} is required`}
              checked={one.required ?? false}
              onChange={(e) => onSet(`/keep/${number}/required`, e.target.checked || undefined)}
            />
            or it fails
          </label>
          <button
            type="button"
            className="link ml-auto"
            aria-label={`Do not keep ${one.name}`}
            onClick={() => onSet(`/keep/${number}`, undefined)}
          >
            not this
          </button>
        </li>
      ))}
    </ul>
  );
}

const CAUSES = ["operator", "builder", "administrator", "application", "webhook", "schedule"] as const;

/** Who may cause a step, and what must hold for it. */
function Only({
  step,
  place,
  offers,
  ...editing
}: Editing & { step: Step; place: string; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const roles = step.only?.roles ?? [];
  const set = (made: typeof roles) => {
    const { roles: _, ...rest } = step.only ?? {};
    const only = made.length ? { ...rest, roles: made } : rest;
    onDocument(put(document, `${place}/only`, Object.keys(only).length ? only : undefined));
  };
  return (
    <div className="py-1">
      <p className="flex flex-wrap gap-x-3">
        <span className="opacity-75">only if begun by</span>
        {CAUSES.map((one) => (
          <label key={one} className="flex items-center gap-1">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={roles.includes(one)}
              onChange={(e) =>
                set(CAUSES.filter((other) => (other === one ? e.target.checked : roles.includes(other))))
              }
            />
            {one}
          </label>
        ))}
        {roles.length === 0 && <span className="opacity-75">(anybody)</span>}
      </p>
      <Conditions {...editing} place={`${place}/only/when`} conditions={step.only?.when ?? []} offers={offers} />
    </div>
  );
}
