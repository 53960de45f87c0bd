import { Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { BodyEditor } from "./BodyEditor";
import { useStandingNames } from "../environments/environments";
import type { Input, OperationDocument } from "./bench";
import { useBench } from "./context";
import { ODataPart } from "./ODataPart";
import { Later } from "./Later";
import { Outcomes } from "./Outcomes";
import { TypeSelect } from "./TypeSelect";
import { AddName, Parameters } from "./Parameters";
import { asText } from "../../ui/text";

/** How an operation asks: taken apart from what the documentation shows, then corrected part by part. */
export function Describe() {
  const { project, draft, change: put } = useBench();
  const { document } = draft;
  const standing = useStandingNames(project);
  const onDocument = (document: OperationDocument) => put({ type: "set", to: { document } });
  const set = (change: Partial<OperationDocument>) => onDocument({ ...document, ...change });
  const inputs = document.inputs ?? [];
  return (
    <div className="mb-4 rounded-box border border-base-300 p-3">
      <Paste />
      <Field label="Path" hint="below the base address; a place for a value is written {name}">
        {(id) => (
          <div className="flex gap-1">
            <input
              id={id}
              className="input w-full font-mono text-xs"
              value={document.path ?? "/"}
              onChange={(e) => set({ path: e.target.value })}
            />
            <select
              className="select w-28"
              aria-label="Method"
              value={document.method ?? "GET"}
              onChange={(e) => set({ method: e.target.value as OperationDocument["method"] })}
            >
              {["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"].map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </div>
        )}
      </Field>
      {!["GET", "HEAD", "OPTIONS"].includes(document.method ?? "GET") &&
        !["graphql", "soap"].includes(document.body?.type ?? "") && (
          <label className="mb-3 flex items-center gap-2 text-xs">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={document.reads ?? false}
              onChange={(e) => set({ reads: e.target.checked })}
            />
            it changes nothing at the service: a search, say
          </label>
        )}
      <Parameters
        title="Query"
        word="a parameter"
        begun={(name) => ({ name })}
        list={document.query ?? []}
        inputs={inputs}
        standing={standing}
        onChange={(query, more = []) => set({ query, inputs: [...inputs, ...more] })}
      />
      <Parameters
        title="Headers"
        word="a header"
        begun={(name) => ({ name })}
        list={document.headers ?? []}
        inputs={inputs}
        standing={standing}
        onChange={(headers, more = []) => set({ headers, inputs: [...inputs, ...more] })}
      />
      {document.odata && <ODataPart project={project} document={document} onDocument={onDocument} />}
      {(document.cookies?.length ?? 0) > 0 && (
        <Parameters
          title="Cookies"
          word="a cookie"
          begun={(name) => ({ name })}
          list={document.cookies ?? []}
          inputs={inputs}
          standing={standing}
          onChange={(cookies, more = []) => set({ cookies, inputs: [...inputs, ...more] })}
        />
      )}
      {(!["GET", "HEAD", "OPTIONS"].includes(document.method ?? "GET") || document.body?.type === "graphql") && (
        <BodyEditor project={project} document={document} standing={standing} onDocument={onDocument} />
      )}
      <fieldset>
        <legend className="mb-1 text-sm font-medium">Inputs</legend>
        {inputs.map((input, number) => {
          const change = (part: Partial<Input>) =>
            set({ inputs: inputs.map((one, at) => (at === number ? { ...one, ...part } : one)) });
          return (
            <div key={number} className="mb-1 flex flex-wrap items-center gap-1 text-xs">
              <span className="w-24 truncate font-mono">{input.name}</span>
              <TypeSelect
                label={`type of ${input.name}`}
                value={input.type ?? "text"}
                onType={(type) => change({ type })}
              />
              <label className="flex items-center gap-1">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={input.required ?? false}
                  onChange={(e) => change({ required: e.target.checked })}
                />{" "}
                required
              </label>
              <input
                className="input input-xs w-20"
                aria-label={`default of ${input.name}`}
                placeholder="default"
                value={input.default === undefined ? "" : asText(input.default)}
                onChange={(e) => change({ default: e.target.value === "" ? undefined : e.target.value })}
              />
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                aria-label={`take away the input ${input.name}`}
                onClick={() => set({ inputs: inputs.filter((_, at) => at !== number) })}
              >
                <Trash2 className="size-3.5" aria-hidden />
              </button>
            </div>
          );
        })}
        <AddName label="an input" onAdd={(name) => set({ inputs: [...inputs, { name }] })} />
      </fieldset>
      <Field label="Read the response as" hint="a media type, in place of what its Content-Type says">
        {(id) => (
          <input
            id={id}
            className="input input-sm w-full font-mono text-xs"
            placeholder="text/csv; delimiter=semicolon; header=absent"
            spellCheck={false}
            value={document.response?.read_as ?? ""}
            onChange={(e) => set({ response: { ...document.response, read_as: e.target.value || undefined } })}
          />
        )}
      </Field>
      <Later project={project} later={document.later} onLater={(later) => set({ later })} />
      <Outcomes project={project} document={document} onDocument={onDocument} />
      <label className="mt-3 flex items-center gap-2 text-sm">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={document.enabled ?? true}
          onChange={(e) => set({ enabled: e.target.checked })}
        />{" "}
        enabled: it may be sent
      </label>
    </div>
  );
}

/** A whole address, request or list of parameters, taken apart. */
function Paste() {
  const { draft, change, takeApart } = useBench();
  const [address, setAddress] = useState("");
  const field = useRef<HTMLTextAreaElement>(null);
  const { elsewhere } = draft;
  return (
    <>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          takeApart.mutate(address, { onSuccess: (parts) => change({ type: "pasted", parts }) });
          setAddress("");
          field.current?.focus();
        }}
      >
        <Field
          label="Paste a whole address"
          hint="or a request as HTTP text, or a list of parameters from the documentation; it is taken apart"
        >
          {(id) => (
            <div className="flex items-start gap-1">
              <textarea
                id={id}
                ref={field}
                className="textarea min-h-0 w-full font-mono text-xs"
                rows={Math.min(6, Math.max(1, address.split("\n").length))}
                spellCheck={false}
                placeholder="https://register.example/v1/trees?district={district}"
                value={address}
                onChange={(e) => setAddress(e.target.value)}
              />
              <button className="btn btn-sm" disabled={!address.trim()}>
                Take apart
              </button>
            </div>
          )}
        </Field>
      </form>
      <ProblemAlert error={takeApart.error} />
      {elsewhere && (
        <div role="alert" className="mb-3 border-l-4 border-warning bg-warning/10 py-1 pl-2 text-xs">
          <p className="break-words">{elsewhere.difference}.</p>
          <p className="flex flex-wrap gap-3">
            <button
              type="button"
              className="link"
              onClick={() => change({ type: "pasted", parts: elsewhere, isMeant: true })}
            >
              send it there
            </button>
            <Link className="link" to="../operations/new">
              try the pasted address as a one-off
            </Link>
            <button type="button" className="link" onClick={() => change({ type: "left as it is" })}>
              leave all as it is
            </button>
          </p>
        </div>
      )}
    </>
  );
}
