import { useState } from "react";
import type { Schemas } from "../../api/client";
import { asText } from "../../ui/text";
import { put } from "./edits";
import { Pointing } from "./Pointing";
import { typed, type Editing } from "./StepEditor";
import { COMPARED, sourceWords, type Step } from "./words";

/** The ways of a decision, each with its conditions; what is done in each stands in the list below. */
export function DecideEditor({
  step,
  place,
  offers,
  ...editing
}: Editing & { step: Extract<Step, { type: "decide" }>; place: string; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const [pointing, setPointing] = useState<number | null>(null);
  const ways = step.ways ?? [];
  return (
    <section className="mb-2">
      {ways.map((way, which) => (
        <div key={which} className="border-t border-base-300 py-1">
          <p className="flex gap-2 font-medium">
            {which === 0 ? "If" : "else if"}
            <button
              type="button"
              className="link ml-auto font-normal"
              onClick={() => onDocument(put(document, `${place}/ways/${which}`, undefined))}
            >
              take this way out
            </button>
          </p>
          {way.when?.map((condition, number) => {
            const at = `${place}/ways/${which}/when/${number}`;
            const isBare = condition.is === "present" || condition.is === "absent";
            const type =
              typeof condition.value === "boolean" ? "boolean" : typeof condition.value === "number" ? "decimal" : "";
            return (
              <div key={number} className="flex flex-wrap items-center gap-2 py-0.5">
                <span className="font-mono">{sourceWords(condition.from)}</span>
                <select
                  className="select select-xs w-36"
                  aria-label={`How ${sourceWords(condition.from)} is compared`}
                  value={condition.is ?? "equal"}
                  onChange={(e) => {
                    const is = e.target.value as typeof condition.is;
                    const { value: _, ...bare } = condition;
                    const needs = !["present", "absent"].includes(e.target.value);
                    onDocument(
                      put(document, at, needs ? { ...condition, is, value: condition.value ?? "" } : { ...bare, is }),
                    );
                  }}
                >
                  {Object.entries(COMPARED).map(([is, words]) => (
                    <option key={is} value={is}>
                      {words}
                    </option>
                  ))}
                  {condition.is && !(condition.is in COMPARED) && (
                    <option value={condition.is}>{condition.is.replaceAll("_", " ")}</option>
                  )}
                </select>
                {!isBare && (condition.than || typeof condition.value === "object") && (
                  <span className="opacity-75">what with is said in the text</span>
                )}
                {!isBare && !condition.than && typeof condition.value !== "object" && (
                  <input
                    className="input input-xs w-40 font-mono"
                    aria-label={`What ${sourceWords(condition.from)} is compared with`}
                    value={asText(condition.value)}
                    onChange={(e) =>
                      onDocument(put(document, `${at}/value`, typed(e.target.value, type || kindOf(e.target.value))))
                    }
                  />
                )}
                <button type="button" className="link" onClick={() => onDocument(put(document, at, undefined))}>
                  not this
                </button>
              </div>
            );
          })}
          <button
            type="button"
            className="link"
            aria-expanded={pointing === which}
            onClick={() => setPointing(pointing === which ? null : which)}
          >
            Add a condition
          </button>
          {pointing === which && (
            <Pointing
              label="Values to decide by"
              offers={offers}
              seen={editing.seen}
              onChoose={(source) => {
                const isYesOrNo = offers.find((one) => one.source === source)?.type === "boolean";
                const condition = isYesOrNo ? { from: source, value: true } : { from: source, is: "present" };
                onDocument(put(document, `${place}/ways/${which}/when/${way.when?.length ?? 0}`, condition));
                setPointing(null);
              }}
            />
          )}
        </div>
      ))}
      <button
        type="button"
        className="btn btn-xs mt-1"
        onClick={() => onDocument(put(document, `${place}/ways`, [...ways, { when: [], steps: [] }]))}
      >
        Add a way
      </button>
    </section>
  );
}

/** What a value that is typed in place of another one would be read as. */
function kindOf(text: string): string {
  return text === "true" || text === "false" ? "boolean" : "";
}
