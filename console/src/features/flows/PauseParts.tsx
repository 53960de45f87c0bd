import { useState } from "react";
import type { Schemas } from "../../api/client";
import { freeAmong, put } from "./edits";
import { useWebhooks } from "./flows";
import { Pointing } from "./Pointing";
import type { Editing } from "./StepEditor";
import { Named, Seconds } from "./StepRules";
import { Names } from "./Typed";
import { pathWords, type Step } from "./words";

type PauseStep = Extract<Step, { type: "pause" }>;
type Kind = "seconds" | "until" | "callback" | "person";

const KINDS: [Kind, string, unknown][] = [
  ["seconds", "for a time", 60],
  ["until", "until a moment", { value: "" }],
  ["callback", "for a signed request", {}],
  ["person", "for a person's yes or no", { question: "May it go on?" }],
];
const ROLES = ["operator", "builder", "administrator"];

/** What a pause waits for. */
export function PauseParts({
  step,
  place,
  offers,
  ...editing
}: Editing & { step: PauseStep; place: string; offers: Schemas["OfferItem"][] }) {
  const { document, onDocument } = editing;
  const set = (pointer: string, value: unknown) => onDocument(put(document, `${place}${pointer}`, value));
  const kind = KINDS.map(([one]) => one).find((one) => step[one] != null) ?? "seconds";
  const change = (to: Kind) => {
    const { seconds: _, until: __, callback: ___, person: ____, ...rest } = step;
    onDocument(put(document, place, { ...rest, [to]: KINDS.find(([one]) => one === to)?.[2] }));
  };
  return (
    <div className="mb-2 flex flex-wrap items-end gap-3">
      <Named label="It waits">
        <select className="select select-xs w-44" value={kind} onChange={(e) => change(e.target.value as Kind)}>
          {KINDS.map(([one, words]) => (
            <option key={one} value={one}>
              {words}
            </option>
          ))}
        </select>
      </Named>
      {step.seconds != null && (
        <Seconds label="Seconds" value={step.seconds} onValue={(value) => set("/seconds", value ?? 1)} />
      )}
      {step.person && (
        <>
          <Named label="The question">
            <input
              className="input input-xs w-72"
              value={step.person.question}
              onChange={(e) => set("/person/question", e.target.value)}
            />
          </Named>
          <Named label="Who may answer">
            <select
              className="select select-xs w-40"
              value={(step.person.roles ?? []).join(" ")}
              onChange={(e) => set("/person/roles", e.target.value ? e.target.value.split(" ") : undefined)}
            >
              <option value="">whoever may run it</option>
              {ROLES.map((one) => (
                <option key={one}>{one}</option>
              ))}
              {(step.person.roles ?? []).length > 1 && <option>{step.person.roles?.join(" ")}</option>}
            </select>
          </Named>
          <Named label="Who is asked, by sign-in name">
            <Names
              className="input input-xs w-40 font-mono"
              placeholder="whoever may answer"
              names={step.person.people ?? []}
              onNames={(people) => set("/person/people", people.length ? people : undefined)}
            />
          </Named>
          <Adding
            label="Values to show with the question"
            words="Show a value with it"
            offers={offers}
            {...editing}
            onChoose={(source, name) =>
              set("/person/shows", {
                ...step.person?.shows,
                [freeAmong(Object.keys(step.person?.shows ?? {}), name)]: source,
              })
            }
          />
        </>
      )}
      {step.callback && (
        <>
          <Webhook
            project={editing.project}
            value={step.callback.webhook ?? ""}
            onValue={(name) => set("/callback/webhook", name || undefined)}
          />
          <Match
            onMatch={(at) =>
              set("/callback/matches", [...(step.callback?.matches ?? []), { at, equals: { value: "" } }])
            }
          />
          {step.callback.matches?.map((one, number) => (
            <button
              key={number}
              type="button"
              className="link"
              onClick={() => set(`/callback/matches/${number}`, undefined)}
            >
              not by {pathWords(one.at)}
            </button>
          ))}
        </>
      )}
    </div>
  );
}

/** A value pointed at, to be added under a name of its own. */
function Adding({
  label,
  words,
  offers,
  seen,
  onChoose,
}: Editing & {
  label: string;
  words: string;
  offers: Schemas["OfferItem"][];
  onChoose: (source: Schemas["FlowSource"], name: string) => void;
}) {
  const [isOpen, setIsOpen] = useState(false);
  return (
    <div className={isOpen ? "w-full" : ""}>
      <button type="button" className="link" aria-expanded={isOpen} onClick={() => setIsOpen(!isOpen)}>
        {words}
      </button>
      {isOpen && (
        <Pointing
          label={label}
          offers={offers}
          seen={seen}
          onChoose={(source) => {
            setIsOpen(false);
            const last = typeof source.at === "string" ? source.at.split(".").at(-1) : "";
            onChoose(source, last || source.input || source.kept || source.result || "value");
          }}
        />
      )}
    </div>
  );
}

function Webhook({ project, value, onValue }: { project: string; value: string; onValue: (name: string) => void }) {
  const found = useWebhooks(project);
  return (
    <Named label="The webhook that takes it in">
      <select className="select select-xs w-48" value={value} onChange={(e) => onValue(e.target.value)}>
        <option value="">any webhook for flows</option>
        {found.data?.map((one) => (
          <option key={one.name} value={one.name}>
            {one.title || one.name}
          </option>
        ))}
        {value && !found.data?.some((one) => one.name === value) && <option>{value}</option>}
      </select>
    </Named>
  );
}

/** A place in the request by which the one that is meant is told from others. */
function Match({ onMatch }: { onMatch: (at: string) => void }) {
  const [text, setText] = useState("");
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (text) onMatch(text);
        setText("");
      }}
    >
      <Named label="Told apart by, in the request">
        <input
          className="input input-xs w-36 font-mono"
          placeholder="job.id"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Named>
      <button type="submit" className="btn btn-xs" disabled={!text}>
        Add
      </button>
    </form>
  );
}
