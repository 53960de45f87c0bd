import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useRecordTypes } from "../records/records";
import { ChooseAsked, nameOf, type Chosen } from "./ChooseAsked";
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
  const add = (asked: Chosen) => {
    setOpened("");
    const names = (step.together ?? []).map((one) => one.name);
    const own = freeName(names, nameOf(asked));
    const first = step.ask ? [{ name: freeName([own], nameOf(step.ask)), ...step.ask }] : [];
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
      {step.each && (
        <HowMany each={step.each} onSet={(name, value) => onDocument(put(document, `${place}/each/${name}`, value))} />
      )}
      {!step.ask && <Gathered {...editing} step={step} place={place} />}
    </div>
  );
}

/** For each of many: how many of them at a time, and at most. */
function HowMany({
  each,
  onSet,
}: {
  each: NonNullable<AskStep["each"]>;
  onSet: (name: "at_once" | "most", value: number) => void;
}) {
  const number = (name: "at_once" | "most", label: string, value: number, most: number) => (
    <label>
      {label}{" "}
      <input
        className="input input-xs w-20"
        type="number"
        min={1}
        max={most}
        value={value}
        onChange={(e) => onSet(name, Math.min(most, Math.max(1, Number(e.target.value))))}
      />
    </label>
  );
  return (
    <p className="mt-1 flex flex-wrap items-center gap-3">
      {number("at_once", "so many at a time", each.at_once ?? 5, 50)}
      {number("most", "in all at most", each.most ?? 1_000, 10_000)}
    </p>
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
  const [opened, setOpened] = useState<"" | "asked" | "undo">("");
  const open = (what: typeof opened) => setOpened(opened === what ? "" : what);
  const mappings = useMappingsFor(project, asked.operation ?? "");
  return (
    <div className="py-0.5">
      <div className="flex flex-wrap items-center gap-2">
        {branch && <span className="font-mono">{branch}</span>}
        <span>asks</span>
        <button type="button" className="btn btn-xs" aria-expanded={opened === "asked"} onClick={() => open("asked")}>
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
        <button
          type="button"
          className="link"
          aria-label={`What takes ${branch || "it"} back`}
          aria-expanded={opened === "undo"}
          onClick={() => open("undo")}
        >
          {asked.undo
            ? `taken back by ${asked.undo.operation || asked.undo.flow || asked.undo.record_type}`
            : "not taken back"}
        </button>
        {asked.undo && (
          <button
            type="button"
            className="link"
            aria-label={`Do not take ${branch || "it"} back`}
            onClick={() => onDocument(put(document, `${where}/undo`, undefined))}
          >
            not that
          </button>
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
      {opened === "asked" && (
        <ChooseAsked
          project={project}
          own={editing.name}
          onChoose={(chosen) => {
            setOpened("");
            onDocument(put(document, where, { ...(branch ? { name: branch } : {}), ...chosen }));
          }}
        />
      )}
      {opened === "undo" && (
        <ChooseAsked
          project={project}
          own={editing.name}
          onChoose={(chosen) => {
            setOpened("");
            onDocument(put(document, `${where}/undo`, chosen));
          }}
        />
      )}
    </div>
  );
}
