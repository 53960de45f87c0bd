import { useState } from "react";
import { asText } from "../../ui/text";
import { TypeSelect } from "../bench/TypeSelect";
import { useRecordTypes } from "../records/records";
import { put, withName } from "./edits";
import { Seconds } from "./StepRules";
import { typed, type Editing } from "./StepEditor";

/** What a flow is given, what it replies, and what holds for a whole run. */
export function Members({ project, document, onDocument }: Editing) {
  const types = useRecordTypes(project).data?.types ?? [];
  const set = (pointer: string, value: unknown) => onDocument(put(document, pointer, value));
  const inputs = document.inputs ?? [];
  const reply = document.reply ?? [];
  return (
    <div className="my-2 rounded-field bg-base-200/60 p-2 text-xs" role="group" aria-label="The flow as a whole">
      <p className="font-medium">It is given</p>
      <ul>
        {inputs.map((one, number) => (
          <li key={number} className="flex flex-wrap items-center gap-2 border-t border-base-300 py-1">
            <Name
              name={one.name}
              taken={inputs.map((other) => other.name)}
              isInput
              label={`Name of input ${one.name}`}
              onName={(name) => onDocument(withName(document, "inputs", number, name))}
            />
            <TypeSelect
              className="w-44"
              label={`Type of ${one.name}`}
              value={one.type ?? "text"}
              onType={(type) => set(`/inputs/${number}/type`, type)}
            />
            <input
              className="input input-xs w-40"
              aria-label={`What ${one.name} is`}
              placeholder="what it is, in words"
              value={one.title ?? ""}
              onChange={(e) => set(`/inputs/${number}/title`, e.target.value || undefined)}
            />
            <Required
              is={one.required ?? false}
              onIs={(is) => set(`/inputs/${number}/required`, is || undefined)}
              name={one.name}
            />
            <input
              className="input input-xs w-40 font-mono"
              aria-label={`Value to try ${one.name} with`}
              placeholder="a value to try with"
              value={asText(one.try_value)}
              onChange={(e) =>
                set(
                  `/inputs/${number}/try_value`,
                  e.target.value === "" ? undefined : typed(e.target.value, one.type ?? "text"),
                )
              }
            />
            <TakeOut name={one.name} onTakeOut={() => set(`/inputs/${number}`, undefined)} />
          </li>
        ))}
      </ul>
      <NewName
        label="Name of a new input"
        taken={inputs.map((one) => one.name)}
        isInput
        onName={(name) => set(`/inputs`, [...inputs, { name }])}
      />
      <p className="mt-2 font-medium">It replies</p>
      <ul>
        {reply.map((one, number) => (
          <li key={number} className="flex flex-wrap items-center gap-2 border-t border-base-300 py-1">
            <Name
              name={one.name}
              taken={reply.map((other) => other.name)}
              label={`Name of reply ${one.name}`}
              onName={(name) => onDocument(withName(document, "reply", number, name))}
            />
            <TypeSelect
              className="w-44"
              label={`Type of reply ${one.name}`}
              value={one.records ? `${LIST}${one.records}` : (one.type ?? "json")}
              onType={(chosen) => {
                const { type: _, records: __, ...rest } = one;
                const records = chosen.startsWith(LIST) ? chosen.slice(LIST.length) : "";
                set(`/reply/${number}`, records ? { ...rest, records } : { ...rest, type: chosen });
              }}
            >
              {types.map((type) => (
                <option key={type.name} value={`${LIST}${type.name}`}>
                  list of {type.title || type.name}
                </option>
              ))}
            </TypeSelect>
            <Required
              is={one.required ?? false}
              onIs={(is) => set(`/reply/${number}/required`, is || undefined)}
              name={`reply ${one.name}`}
            />
            <TakeOut name={`reply ${one.name}`} onTakeOut={() => set(`/reply/${number}`, undefined)} />
          </li>
        ))}
      </ul>
      <NewName
        label="Name of a new part of the reply"
        taken={reply.map((one) => one.name)}
        onName={(name) => set("/reply", [...reply, { name }])}
      />
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Seconds
          label="Time limit of a whole run, seconds"
          value={document.time_limit ?? null}
          onValue={(value) => set("/time_limit", value)}
        />
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={document.enabled ?? true}
            onChange={(e) => set("/enabled", e.target.checked ? undefined : false)}
          />
          may be run
        </label>
      </div>
    </div>
  );
}

/** Before the name of a record type, in place of a type. */
const LIST = "list of ";

/** Why a name cannot be taken; empty if it can. */
function wrongWith(name: string, taken: string[], isInput: boolean): string {
  if (!/^[A-Za-z][A-Za-z0-9_-]*$/.test(name)) return "letters, digits, - and _, beginning with a letter";
  if (!isInput && name !== name.toLowerCase()) return "small letters only";
  return taken.includes(name) ? "there is one of that name" : "";
}

/** A name that is changed when it has been typed, so that what names it changes once. */
function Name({
  name,
  taken,
  isInput,
  label,
  onName,
}: {
  name: string;
  taken: string[];
  isInput?: boolean;
  label: string;
  onName: (name: string) => void;
}) {
  const [typing, setTyping] = useState<string | null>(null);
  const wrong = typing === null || typing === name ? "" : wrongWith(typing, taken, isInput ?? false);
  const done = () => {
    if (typing !== null && typing !== name && !wrong) onName(typing);
    setTyping(null);
  };
  return (
    <span>
      <input
        className="input input-xs w-32 font-mono"
        aria-label={label}
        aria-invalid={!!wrong}
        value={typing ?? name}
        onChange={(e) => setTyping(e.target.value)}
        onKeyDown={(e) => e.key === "Enter" && done()}
        onBlur={done}
      />
      {wrong && <span className="ml-1 text-error">{wrong}</span>}
    </span>
  );
}

function NewName({
  label,
  taken,
  isInput,
  onName,
}: {
  label: string;
  taken: string[];
  isInput?: boolean;
  onName: (name: string) => void;
}) {
  const [name, setName] = useState("");
  const wrong = name ? wrongWith(name, taken, isInput ?? false) : "";
  return (
    <form
      className="mt-1 flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (!name || wrong) return;
        onName(name);
        setName("");
      }}
    >
      <input
        className="input input-xs w-32 font-mono"
        aria-label={label}
        aria-invalid={!!wrong}
        placeholder="another name"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="btn btn-xs" disabled={!name || !!wrong}>
        Add
      </button>
      {wrong && <span className="text-error">{wrong}</span>}
    </form>
  );
}

function Required({ is, onIs, name }: { is: boolean; onIs: (is: boolean) => void; name: string }) {
  return (
    <label className="flex items-center gap-1">
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        aria-label={`${name} is required`}
        checked={is}
        onChange={(e) => onIs(e.target.checked)}
      />
      required
    </label>
  );
}

function TakeOut({ name, onTakeOut }: { name: string; onTakeOut: () => void }) {
  return (
    <button type="button" className="link ml-auto" aria-label={`Take ${name} out`} onClick={onTakeOut}>
      take out
    </button>
  );
}
