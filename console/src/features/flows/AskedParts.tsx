import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useRecordTypes } from "../records/records";
import { ChooseAsked } from "./ChooseAsked";
import { freeName, put } from "./edits";
import { useMappingsFor } from "./flows";
import { Pointing } from "./Pointing";
import type { Editing } from "./StepEditor";
import type { AskStep, Source } from "./words";

/** What is asked: one thing, or several at once, each with what makes records of it. */
export function AskedParts({
  step,
  place,
  offers,
  ...editing
}: Editing & { step: AskStep; place: string; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const [opened, setOpened] = useState<"" | "another" | "each">("");
  const open = (what: typeof opened) => setOpened(opened === what ? "" : what);
  const parts = step.together?.length
    ? step.together.map((one, which) => ({ one, at: `${place}/together/${which}`, name: one.name }))
    : step.each
      ? [{ one: step.each.ask, at: `${place}/each/ask`, name: "" }]
      : step.ask
        ? [{ one: step.ask, at: `${place}/ask`, name: "" }]
        : [];
  const add = (asked: { operation?: string; flow?: string }) => {
    setOpened("");
    const names = (step.together ?? []).map((one) => one.name);
    const own = freeName(names, asked.operation ?? asked.flow ?? "part");
    const first = step.ask
      ? [{ name: freeName([own], step.ask.operation || step.ask.flow || "first"), ...step.ask }]
      : [];
    const { ask: _, ...rest } = step;
    onDocument(put(document, place, { ...rest, together: [...(step.together ?? first), { name: own, ...asked }] }));
  };
  const forEach = (of: Source) => {
    setOpened("");
    const { ask, ...rest } = step;
    if (ask) onDocument(put(document, place, { ...rest, each: { of, ask } }));
  };
  return (
    <div className="mb-2">
      {parts.map(({ one, at: where, name }) => (
        <OneAsked key={where} {...editing} asked={one} where={where} branch={name} isOnly={parts.length === 1} />
      ))}
      <p className="flex gap-3">
        {!step.each && (
          <button type="button" className="link" aria-expanded={opened === "another"} onClick={() => open("another")}>
            Ask something else at the same time
          </button>
        )}
        {step.ask && (
          <button type="button" className="link" aria-expanded={opened === "each"} onClick={() => open("each")}>
            Ask it for each of a list
          </button>
        )}
      </p>
      {opened === "another" && <ChooseAsked project={editing.project} own={editing.name} onChoose={add} />}
      {opened === "each" && (
        <Pointing
          label="Lists to ask it for"
          offers={offers.filter((one) => ["list", "json", ""].includes(one.type))}
          seen={editing.seen}
          onChoose={forEach}
        />
      )}
      {!step.ask && <Gathered {...editing} step={step} place={place} />}
    </div>
  );
}

/** Of several: their records brought into one list. */
function Gathered({ step, place, ...editing }: Editing & { step: AskStep; place: string }) {
  const { project, document, onDocument } = editing;
  const types = useRecordTypes(project).data?.types ?? [];
  const type = types.find((one) => one.name === step.gather?.record_type);
  const texts = type?.document.fields?.filter((one) => one.type === "text") ?? [];
  const set = (gather: AskStep["gather"]) => onDocument(put(document, `${place}/gather`, gather ?? undefined));
  if (types.length === 0) return null;
  return (
    <p className="mt-1 flex flex-wrap items-center gap-2">
      <label>
        bring together{" "}
        <select
          className="select select-xs w-40"
          value={step.gather?.record_type ?? ""}
          onChange={(e) => set(e.target.value ? { record_type: e.target.value } : null)}
        >
          <option value="">nothing</option>
          {types.map((one) => (
            <option key={one.name} value={one.name}>
              {one.title || one.name}
            </option>
          ))}
        </select>
      </label>
      {step.gather && (
        <label>
          with whose each is in{" "}
          <select
            className="select select-xs w-36"
            value={step.gather.origin ?? ""}
            onChange={(e) => set({ record_type: step.gather?.record_type ?? "", origin: e.target.value || undefined })}
          >
            <option value="">no field</option>
            {texts.map((one) => (
              <option key={one.name}>{one.name}</option>
            ))}
          </select>
        </label>
      )}
    </p>
  );
}

function OneAsked({
  asked,
  where,
  branch,
  isOnly,
  ...editing
}: Editing & { asked: Schemas["Ask"]; where: string; branch: string; isOnly: boolean }) {
  const { project, document, onDocument } = editing;
  const [isOpen, setIsOpen] = useState(false);
  const mappings = useMappingsFor(project, asked.operation ?? "");
  return (
    <div>
      <div className="flex flex-wrap items-center gap-2">
        {branch && <span className="font-mono">{branch}</span>}
        <span>asks</span>
        <button type="button" className="btn btn-xs" aria-expanded={isOpen} onClick={() => setIsOpen(!isOpen)}>
          {asked.operation || asked.flow || asked.record_type}
        </button>
        {asked.operation && (mappings.data?.length ?? 0) > 0 && (
          <select
            className="select select-xs w-44"
            aria-label={`Mapping${branch ? ` of ${branch}` : ""}`}
            value={asked.mapping ?? ""}
            onChange={(e) => onDocument(put(document, `${where}/mapping`, e.target.value || undefined))}
          >
            <option value="">as it is answered</option>
            {mappings.data?.map((one) => (
              <option key={one.name} value={one.name}>
                as {one.title || one.name}
              </option>
            ))}
          </select>
        )}
        {branch && !isOnly && (
          <button
            type="button"
            className="link"
            aria-label={`Do not ask ${branch}`}
            onClick={() => onDocument(put(document, where, undefined))}
          >
            not this
          </button>
        )}
      </div>
      {isOpen && (
        <ChooseAsked
          project={project}
          own={editing.name}
          onChoose={(chosen) => {
            setIsOpen(false);
            onDocument(put(document, where, { ...(branch ? { name: branch } : {}), ...chosen }));
          }}
        />
      )}
    </div>
  );
}
