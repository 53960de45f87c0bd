import type { Schemas } from "../../api/client";
import { Conditions } from "./Conditions";
import { put } from "./edits";
import type { Editing } from "./StepEditor";
import type { Step } from "./words";

/** The ways of a decision, each with its conditions; what is done in each stands in the list below. */
export function DecideEditor({
  step,
  place,
  offers,
  ...editing
}: Editing & { step: Extract<Step, { type: "decide" }>; place: string; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
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
          <Conditions {...editing} place={`${place}/ways/${which}/when`} conditions={way.when ?? []} offers={offers} />
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
