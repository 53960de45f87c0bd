import { useState } from "react";
import { ChooseAsked, ChooseRecords, nameOf } from "./ChooseAsked";
import { at, freeName, insert, placeToAdd } from "./edits";
import type { Editing } from "./StepEditor";
import { namesOf, type Step } from "./words";

type Kind = "ask" | "record" | "person" | "wait" | "request" | "decide" | "reply";
const KINDS: [Kind, string][] = [
  ["ask", "Ask a service"],
  ["record", "Find or write a record"],
  ["person", "Ask a person"],
  ["wait", "Wait"],
  ["request", "Wait for a request"],
  ["decide", "Decide"],
  ["reply", "Reply"],
];

/** Adds a step to a list. */
export function AddStep({ list, ...editing }: Editing & { list: string }) {
  const { document, onDocument } = editing;
  const [isOpen, setIsOpen] = useState(false);
  const [choosing, setChoosing] = useState<"ask" | "record" | "">("");
  const held = (at(document, list) ?? []) as Step[];
  const number = placeToAdd(held);
  const names = namesOf(document.steps ?? []);
  const add = (step: Step) => {
    onDocument(insert(document, list, number, step));
    setIsOpen(false);
    setChoosing("");
    editing.onOpened(`${list}/${number}`);
  };
  const made = (kind: Exclude<Kind, "ask" | "record">): Step => {
    const name = freeName(names, kind);
    switch (kind) {
      case "person":
        return { type: "pause", name, time_limit: 86_400, person: { question: "May it go on?" } };
      case "wait":
        return { type: "pause", name, seconds: 60 };
      case "request":
        return { type: "pause", name, time_limit: 86_400, callback: {} };
      case "decide":
        return { type: "decide", name, ways: [{ when: [], steps: [] }], otherwise: [] };
      case "reply":
        return { type: "end", name, reply: {} };
    }
  };
  return (
    <div className="my-1 pl-3 text-xs">
      <button type="button" className="link" aria-expanded={isOpen} onClick={() => setIsOpen(!isOpen)}>
        Add a step{list === "/steps" ? "" : " here"}
      </button>
      {isOpen && (
        <span className="ml-2 inline-flex flex-wrap gap-1">
          {KINDS.filter(([kind]) => kind !== "reply" || number === held.length).map(([kind, title]) => (
            <button
              key={kind}
              type="button"
              className="btn btn-xs"
              onClick={() => (kind === "ask" || kind === "record" ? setChoosing(kind) : add(made(kind)))}
            >
              {title}
            </button>
          ))}
        </span>
      )}
      {isOpen && choosing === "record" && (
        <ChooseRecords
          project={editing.project}
          onChoose={(record_type) =>
            add({ type: "records", name: freeName(names, record_type), action: "find", record_type })
          }
        />
      )}
      {isOpen && choosing === "ask" && (
        <ChooseAsked
          project={editing.project}
          own={editing.name}
          onChoose={(asked) =>
            add({
              type: "ask",
              name: freeName(names, nameOf(asked)),
              ask: asked,
            })
          }
        />
      )}
    </div>
  );
}
