import { useState } from "react";
import { Field } from "../../ui/parts";
import { asText } from "../../ui/text";
import { useRecordTypes } from "../records/records";
import { isReading, takesBytes, type Input, type RecordGiven } from "./bench";
import { SavedInputs } from "../releases/SavedInputs";
import { useBench } from "./context";
import { asValues } from "./draft";

/** The inputs of the operation, each with its meaning and its value for this request. */
export function Inputs() {
  const { draft, change, request } = useBench();
  const { document, values } = draft;
  const inputs = document.inputs ?? [];
  return (
    <>
      {inputs.map((input) => (
        <div key={input.name} data-input={input.name}>
          <InputField
            input={input}
            value={values[input.name]}
            takesFile={takesBytes(document, input.name)}
            problem={request.data?.problems.find((one) => one.where === `/${input.name}`)?.message}
            onChange={(value) => {
              const next = { ...values };
              if (value === undefined) delete next[input.name];
              else next[input.name] = value;
              change({ type: "set", to: { values: next } });
            }}
          />
        </div>
      ))}
      {inputs.length > 0 && draft.service !== "" && <FromRecord />}
      {inputs.length > 0 && draft.item && <FromCase names={inputs.map((one) => one.name)} />}
      {inputs.length === 0 && !draft.isDescribing && <p className="mb-3 text-sm opacity-75">It takes no inputs.</p>}
    </>
  );
}

/** A kept record in place of typing: its fields fill the inputs that are left empty. */
function FromRecord() {
  const { project, draft, change } = useBench();
  const { record } = draft;
  const fill = (record: RecordGiven | null) => change({ type: "set", to: { record } });
  const [type, setType] = useState(record?.record_type ?? "");
  const [key, setKey] = useState(record?.key.join("/") ?? "");
  const types = useRecordTypes(project).data?.types ?? [];
  const chosen = types.find((one) => one.name === type);
  if (types.length === 0) return null;
  return (
    <details className="mb-3 text-xs" open={record !== null}>
      <summary className="cursor-pointer opacity-80">Fill from a record</summary>
      <form
        className="mt-1 flex flex-wrap items-end gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          fill(type && key ? { record_type: type, key: key.split("/") } : null);
        }}
      >
        <select
          className="select select-sm w-28"
          aria-label="Type of the record"
          value={type}
          onChange={(e) => setType(e.target.value)}
        >
          <option value="">type</option>
          {types.map((one) => (
            <option key={one.name}>{one.name}</option>
          ))}
        </select>
        <input
          className="input input-sm w-28 font-mono"
          aria-label="Key of the record"
          placeholder={chosen?.document.key?.join("/") ?? "key"}
          value={key}
          onChange={(e) => setKey(e.target.value)}
        />
        <button className="btn btn-sm" disabled={!type || !key}>
          Fill
        </button>
        {record && (
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => fill(null)}>
            do not
          </button>
        )}
      </form>
    </details>
  );
}

/** The inputs of a test case in place of typing. */
function FromCase({ names }: { names: string[] }) {
  const { project, draft, change } = useBench();
  const fill = (inputs: Record<string, unknown>) =>
    change({ type: "set", to: { values: asValues(draft.document, inputs) } });
  return <SavedInputs project={project} names={names} onChoose={fill} />;
}

function InputField({
  input,
  value,
  takesFile,
  problem,
  onChange,
}: {
  input: Input;
  value: string | undefined;
  takesFile: boolean;
  problem?: string;
  onChange: (value: string | undefined) => void;
}) {
  const aside = [input.unit, input.type ?? "text", input.required ? "required" : "optional"]
    .filter(Boolean)
    .join(" · ");
  const fallback =
    input.default !== undefined && input.default !== null
      ? `default ${asText(input.default)}`
      : input.required
        ? ""
        : "left out";
  const wrong = input.type === "integer" && value && !/^[+-]?\d*$/.test(value) ? "takes a whole number" : problem;
  return (
    <Field label={input.title || input.name} aside={aside} hint={input.description} problem={wrong}>
      {(id) =>
        input.allowed?.length ? (
          <select
            id={id}
            className="select w-full"
            value={value ?? ""}
            onChange={(e) => onChange(e.target.value || undefined)}
          >
            <option value="">{fallback}</option>
            {input.allowed.map((one) => (
              <option key={String(one)}>{String(one)}</option>
            ))}
          </select>
        ) : (
          <div className="flex gap-1">
            <input
              id={id}
              className="input w-full"
              inputMode={input.type === "integer" ? "numeric" : undefined}
              type={input.type === "date" ? "date" : "text"}
              placeholder={value === "" ? "a blank is sent" : fallback}
              value={value ?? ""}
              onChange={(e) => onChange(e.target.value || undefined)}
            />
            {takesFile && <FileChooser label={input.title || input.name} onChosen={onChange} />}
            {(input.type ?? "text") === "text" && !input.required && (
              <button
                type="button"
                className={`btn btn-sm h-auto text-xs ${value === "" ? "btn-active" : "btn-ghost"}`}
                aria-pressed={value === ""}
                title="send a blank value instead of leaving it out"
                onClick={() => onChange(value === "" ? undefined : "")}
              >
                blank
              </button>
            )}
          </div>
        )
      }
    </Field>
  );
}

const MOST_OF_FILE = 8 * 1024 * 1024;

/** A file in place of typing: its bytes become the input's value, as base64. */
function FileChooser({ label, onChosen }: { label: string; onChosen: (value: string) => void }) {
  const [problem, setProblem] = useState("");
  const choose = async (file: File) => {
    if (file.size > MOST_OF_FILE) {
      setProblem("larger than 8 MiB: applications send larger ones");
      return;
    }
    const bytes = new Uint8Array(await file.arrayBuffer());
    setProblem("");
    onChosen(btoa(Array.from(bytes, (one) => String.fromCharCode(one)).join("")));
  };
  return (
    <label className="btn btn-sm h-auto text-xs btn-ghost">
      file
      <input
        type="file"
        className="sr-only"
        aria-label={`A file for ${label}`}
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          if (file) void choose(file);
        }}
      />
      {problem && <span className="text-error">{problem}</span>}
    </label>
  );
}

/**
 * What came back has a version: ask again only for another one, or change only the one that was seen (RFC 9110, section
 * 13).
 */
export function Condition() {
  const { draft, change } = useBench();
  const { document, values } = draft;
  const seen = draft.response?.call.headers.find(([name]) => name?.toLowerCase() === "etag")?.[1];
  const header = isReading(document) ? "If-None-Match" : "If-Match";
  const input = header.toLowerCase().replaceAll("-", "_");
  const has = (document.headers ?? []).some((one) => one.name.toLowerCase() === header.toLowerCase());
  if (!seen) return null;
  if (has)
    return values[input] === seen ? null : (
      <p className="mt-3 text-xs">
        <button
          type="button"
          className="link"
          onClick={() => change({ type: "set", to: { values: { ...values, [input]: seen } } })}
        >
          use the version seen, {seen}, for {header}
        </button>
      </p>
    );
  const add = () => {
    const description = isReading(document)
      ? "the version already there; without it, the content is sent in any case"
      : "the version that was seen; refused if somebody has changed it since";
    const withHeader = {
      ...document,
      headers: [...(document.headers ?? []), { name: header, value: { input } }],
      inputs: [...(document.inputs ?? []), { name: input, description }],
    };
    change({ type: "set", to: { document: withHeader, values: { ...values, [input]: seen } } });
  };
  return (
    <p className="mt-3 text-sm">
      The response has a version.{" "}
      <button type="button" className="link text-accent" onClick={add}>
        {isReading(document) ? "ask only for a newer one" : "change only this one"}
      </button>
    </p>
  );
}
