import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";
import { AskedParts } from "./AskedParts";
import { PauseParts } from "./PauseParts";
import { RecordsParts } from "./RecordsParts";
import { DecideEditor } from "./DecideEditor";
import { at, listOf, move, put } from "./edits";
import { useFillFlow, useFlowOffers } from "./flows";
import { Pointing, type Seen } from "./Pointing";
import { StepRules } from "./StepRules";
import { sourceWords, type Document, type Step } from "./words";

export interface Editing {
  project: string;
  /** Of the flow. */
  name: string;
  document: Document;
  /** Whether the text beside it is half typed, so that nothing may be written over it. */
  isLocked: boolean;
  onDocument: (document: Document) => void;
  /** The step that is opened, which has another place when it is moved. */
  onOpened: (place: string | null) => void;
  seen: Seen;
}

/** A step opened in place: what it asks, what it is given, what comes of it, and what holds for it. */
export function StepEditor({ step, place, ...editing }: Editing & { step: Step; place: string }) {
  const { project, document, isLocked, onDocument } = editing;
  const offers = useFlowOffers(project, document, place);
  const fill = useFillFlow(project);
  // what is typed while it is made is not lost: it would be made of what was there before
  const latest = useRef({ document, isLocked });
  useEffect(() => {
    latest.current = { document, isLocked };
  }, [document, isLocked]);
  const [late, setLate] = useState<Document | null>(null);
  const set = (pointer: string, value: unknown) => onDocument(put(document, `${place}${pointer}`, value));
  // what was asked for before the last change may name what is not there any more
  const openings = offers.data?.openings.filter((one) => stands(document, one.at)) ?? [];
  const open = openings.filter((one) => !one.held);
  const [list, number] = listOf(place);
  const moved = (by: -1 | 1) => {
    onDocument(move(document, place, by));
    editing.onOpened(`${list}/${number + by}`);
  };
  const make = (make: Schemas["FlowToFillRequest"]["make"], names: unknown[]) =>
    fill.mutate(
      { document, at: place, make, names },
      {
        onSuccess: (made) => {
          const now = latest.current;
          if (now.document === document && !now.isLocked) onDocument(made.document);
          else setLate(now.document);
        },
      },
    );
  return (
    <div className="my-2 rounded-field bg-base-200/60 p-2 text-xs" aria-label={`Step ${step.name}`} role="group">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <input
          className="input input-xs w-64"
          aria-label="What it does, in your own words"
          placeholder="what it does, in your own words"
          value={step.title ?? ""}
          onChange={(e) => set("/title", e.target.value || undefined)}
        />
        <span className="ml-auto flex gap-2">
          <button type="button" className="btn btn-xs" disabled={number === 0} onClick={() => moved(-1)}>
            Earlier
          </button>
          <button
            type="button"
            className="btn btn-xs"
            disabled={number + 1 >= ((at(document, list) as Step[] | undefined)?.length ?? 0)}
            onClick={() => moved(1)}
          >
            Later
          </button>
          <button
            type="button"
            className="btn btn-xs"
            onClick={() => {
              onDocument(put(document, place, undefined));
              editing.onOpened(null);
            }}
          >
            Take it out
          </button>
        </span>
      </div>
      {step.type === "ask" && <AskedParts {...editing} step={step} place={place} offers={offers.data?.offers ?? []} />}
      {step.type === "records" && <RecordsParts {...editing} step={step} place={place} />}
      {step.type === "pause" && (
        <PauseParts key={place} {...editing} step={step} place={place} offers={offers.data?.offers ?? []} />
      )}
      {step.type === "end" && <HowItEnds step={step} onStep={(made) => onDocument(put(document, place, made))} />}
      <ProblemAlert error={offers.error ?? fill.error} />
      {late === document && <p role="status">The flow was changed meanwhile, so nothing was made. Do it once more.</p>}
      {step.type === "decide" && (
        <DecideEditor {...editing} step={step} place={place} offers={offers.data?.offers ?? []} />
      )}
      {offers.data && openings.length > 0 && step.type !== "decide" && (
        <section className="mb-2">
          <p className="font-medium">{openingsWords(step)}</p>
          <ul>
            {openings.map((one) => (
              <OneOpening key={one.at} {...editing} opening={one} offers={offers.data.offers} />
            ))}
          </ul>
          {open.length > 0 && step.type !== "end" && (
            <button
              type="button"
              className="btn btn-xs mt-1"
              disabled={fill.isPending}
              onClick={() => {
                const needed = open.filter((one) => one.required);
                make(
                  "inputs",
                  (needed.length ? needed : open).map((one) => one.name),
                );
              }}
            >
              Make inputs of the flow for{" "}
              {open.some((one) => one.required) ? "what has to be given" : "all that is open"}
            </button>
          )}
        </section>
      )}
      {(offers.data?.results.length ?? 0) > 0 && step.type !== "end" && (
        <Results results={offers.data?.results ?? []} isBusy={fill.isPending} onMake={make} />
      )}
      <StepRules {...editing} step={step} place={place} offers={offers.data?.offers ?? []} />
    </div>
  );
}

/** What a step's sources are for. */
function openingsWords(step: Step): string {
  if (step.type === "end") return step.fail ? "The reason" : "It replies";
  if (step.type !== "pause") return "It is given";
  if (step.person) return "Shown with the question";
  return step.callback ? "The request has" : "It waits until";
}

type EndStep = Extract<Step, { type: "end" }>;

/** With the flow's reply, or as failed with a reason. */
function HowItEnds({ step, onStep }: { step: EndStep; onStep: (step: EndStep) => void }) {
  return (
    <label className="mb-2 block">
      The flow ends{" "}
      <select
        className="select select-xs w-40"
        value={step.fail ? "fail" : "reply"}
        onChange={(e) => {
          const { reply: _, fail: __, ...rest } = step;
          onStep(
            e.target.value === "fail" ? { ...rest, fail: { value: "not as it should be" } } : { ...rest, reply: {} },
          );
        }}
      >
        <option value="reply">with its reply</option>
        <option value="fail">as failed</option>
      </select>
    </label>
  );
}

/** Whether there is what takes an input. */
function stands(document: Document, opening: string): boolean {
  const cut = opening.lastIndexOf("/inputs/");
  return cut < 0 || at(document, opening.slice(0, cut)) !== undefined;
}

/** One thing that the step is given: from where, or this value. */
function OneOpening({
  opening,
  offers,
  ...editing
}: Editing & { opening: Schemas["OpeningItem"]; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const [isOpen, setIsOpen] = useState(false);
  const held = opening.held;
  const label = [opening.part, opening.name, opening.undoes && "to take it back"].filter(Boolean).join(", ");
  const isValue = held !== null && "value" in held;
  const put_ = (value: unknown) => onDocument(put(document, opening.at, value));
  return (
    <li className="border-t border-base-300 py-1">
      <div className="flex flex-wrap items-center gap-2">
        <span className="w-44 truncate font-mono" title={opening.title || label}>
          {label}
        </span>
        <span className="w-24 opacity-75">
          {opening.type || "any type"}
          {opening.required && ", required"}
        </span>
        <button
          type="button"
          className={`btn btn-xs ${held === null && opening.required ? "btn-warning" : ""}`}
          aria-label={`Where ${label} comes from`}
          aria-expanded={isOpen}
          onClick={() => setIsOpen(!isOpen)}
        >
          {held === null ? "open" : isValue ? "this value" : sourceWords(held)}
        </button>
        {(held === null || isValue) && (
          <input
            className="input input-xs w-40 font-mono"
            aria-label={`Value of ${label}`}
            placeholder="or this value"
            value={isValue ? asText(held.value) : ""}
            onChange={(e) => put_(e.target.value === "" ? undefined : { value: typed(e.target.value, opening.type) })}
          />
        )}
        {held !== null && (
          <button type="button" className="link" aria-label={`Leave ${label} open`} onClick={() => put_(undefined)}>
            leave open
          </button>
        )}
      </div>
      {isOpen && (
        <Pointing
          label={`Values for ${label}`}
          offers={opening.offers.flatMap((number) => offers[number] ?? [])}
          seen={editing.seen}
          onChoose={(source) => {
            setIsOpen(false);
            put_(source);
          }}
        />
      )}
    </li>
  );
}

/** A text as a value of a type, as far as it is one; what it is not is told by the flow's problems. */
export function typed(text: string, type: string): unknown {
  if (["integer", "decimal"].includes(type) && /^-?\d+(\.\d+)?$/.test(text)) return Number(text);
  if (type === "boolean" && ["true", "false"].includes(text)) return text === "true";
  return text;
}

/** What comes of the step, chosen to be kept for later steps, or to be replied. */
function Results({
  results,
  isBusy,
  onMake,
}: {
  results: Schemas["FlowResultItem"][];
  isBusy: boolean;
  onMake: (make: "kept" | "reply", names: unknown[]) => void;
}) {
  const [chosen, setChosen] = useState<string[]>([]);
  const key = (one: Schemas["FlowResultItem"]) => JSON.stringify(one.at);
  const take = (make: "kept" | "reply") => {
    onMake(
      make,
      results.filter((one) => chosen.includes(key(one))).map((one) => one.at),
    );
    setChosen([]);
  };
  return (
    <details className="mb-2">
      <summary className="cursor-pointer font-medium">What comes of it</summary>
      <div className="max-h-52 overflow-y-auto">
        {results.map((one) => (
          <label key={key(one)} className="flex cursor-pointer items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={chosen.includes(key(one))}
              onChange={(e) =>
                setChosen(e.target.checked ? [...chosen, key(one)] : chosen.filter((other) => other !== key(one)))
              }
            />
            <span className="font-mono">{typeof one.at === "string" ? one.at : key(one)}</span>
            <span className="opacity-75">{one.type || "not known what"}</span>
          </label>
        ))}
      </div>
      <div className="mt-1 flex gap-2">
        <button type="button" className="btn btn-xs" disabled={isBusy || !chosen.length} onClick={() => take("kept")}>
          Keep for later steps
        </button>
        <button type="button" className="btn btn-xs" disabled={isBusy || !chosen.length} onClick={() => take("reply")}>
          Reply with it
        </button>
      </div>
    </details>
  );
}
