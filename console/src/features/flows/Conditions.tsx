import { useState } from "react";
import type { Schemas } from "../../api/client";
import { asText } from "../../ui/text";
import { put } from "./edits";
import { Pointing } from "./Pointing";
import { typed, type Editing } from "./StepEditor";
import { COMPARED, sourceWords } from "./words";

/** Conditions that must all hold, each on a value that is pointed at. place: of their list. */
export function Conditions({
  place,
  conditions,
  offers,
  ...editing
}: Editing & { place: string; conditions: Schemas["FlowCondition"][]; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const [isPointing, setIsPointing] = useState(false);
  return (
    <>
      {conditions.map((condition, number) => (
        <OneCondition
          key={number}
          condition={condition}
          type={offers.find((one) => sourceWords(one.source) === sourceWords(condition.from))?.type ?? ""}
          onCondition={(made) => onDocument(put(document, `${place}/${number}`, made))}
        />
      ))}
      <button type="button" className="link" aria-expanded={isPointing} onClick={() => setIsPointing(!isPointing)}>
        Add a condition
      </button>
      {isPointing && (
        <Pointing
          label="Values to decide by"
          offers={offers}
          seen={editing.seen}
          onChoose={(source) => {
            const isYesOrNo = offers.find((one) => one.source === source)?.type === "boolean";
            const condition = isYesOrNo ? { from: source, value: true } : { from: source, is: "present" };
            onDocument(put(document, place, [...conditions, condition]));
            setIsPointing(false);
          }}
        />
      )}
    </>
  );
}

/** One condition: how its value is compared, and with what. */
function OneCondition({
  condition,
  type,
  onCondition,
}: {
  condition: Schemas["FlowCondition"];
  /** Of the value that is compared; empty if it is not known. */
  type: string;
  onCondition: (made: Schemas["FlowCondition"] | undefined) => void;
}) {
  const words = sourceWords(condition.from);
  const isBare = condition.is === "present" || condition.is === "absent";
  const isSaid = !!condition.than || typeof condition.value === "object";
  return (
    <div className="flex flex-wrap items-center gap-2 py-0.5">
      <span className="font-mono">{words}</span>
      <select
        className="select select-xs w-36"
        aria-label={`How ${words} is compared`}
        value={condition.is ?? "equal"}
        onChange={(e) => {
          const is = e.target.value as typeof condition.is;
          const { value: _, ...bare } = condition;
          const needs = !["present", "absent"].includes(e.target.value);
          onCondition(needs ? { ...condition, is, value: condition.value ?? "" } : { ...bare, is });
        }}
      >
        {Object.entries(COMPARED).map(([is, how]) => (
          <option key={is} value={is}>
            {how}
          </option>
        ))}
        {condition.is && !(condition.is in COMPARED) && (
          <option value={condition.is}>{condition.is.replaceAll("_", " ")}</option>
        )}
      </select>
      {!isBare && isSaid && <span className="opacity-75">what with is said in the text</span>}
      {!isBare && !isSaid && (
        <input
          className="input input-xs w-40 font-mono"
          aria-label={`What ${words} is compared with`}
          value={asText(condition.value)}
          onChange={(e) =>
            onCondition({ ...condition, value: typed(e.target.value, type || kindOf(e.target.value, condition.value)) })
          }
        />
      )}
      <button type="button" className="link" onClick={() => onCondition(undefined)}>
        not this
      </button>
    </div>
  );
}

/** What a value that is typed in place of another one is read as, where nothing says its type. */
function kindOf(text: string, before: unknown): string {
  if (typeof before === "number") return "decimal";
  return typeof before === "boolean" || text === "true" || text === "false" ? "boolean" : "";
}
