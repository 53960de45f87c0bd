import { Trash2 } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { BodyEditor } from "./BodyEditor";
import { type Input, isReading, type OperationDocument } from "./bench";
import { ODataPart } from "./ODataPart";
import { AddName, Parameters } from "./Parameters";

interface Props {
  document: OperationDocument;
  values: Record<string, string>;
  environment: string;
  environments: string[];
  shown: Schemas["RequestShown"] | undefined;
  shownError: unknown;
  isSending: boolean;
  sendError: unknown;
  maySend: boolean;
  trial: Schemas["TrialShown"] | null;
  onDocument: (document: OperationDocument) => void;
  onValues: (values: Record<string, string>) => void;
  onEnvironment: (name: string) => void;
  /** Where a one-off goes; null if a service's connection says it. */
  base: string | null;
  onBase: (address: string) => void;
  onAddress: (address: string) => void;
  addressError: unknown;
  onSend: (confirmed: boolean, inProtected: boolean) => void;
  isProtected: boolean;
  onMoveKey: (place: string) => void;
  moveError: unknown;
  standing: string[];
  project: string;
}

/** Left: the inputs with their meaning, the request as it will be sent, and the button that sends it. */
export function RequestPane(props: Props) {
  const { document, values, shown } = props;
  const [isEditing, setEditing] = useState(!document.path || document.path === "/");
  const inputs = document.inputs ?? [];
  const problems = shown?.problems ?? [];
  const reads = isReading(document);
  const [confirmed, setConfirmed] = useState(false);
  const [meant, setMeant] = useState(false);
  return (
    <div className="p-3 lg:overflow-auto">
      <Heading aside={<button type="button" className="link text-xs" onClick={() => setEditing(!isEditing)}>{isEditing ? "done" : "describe"}</button>}>Request</Heading>
      {document.documentation && <p className="mb-2 text-xs"><a className="link" href={document.documentation} target="_blank" rel="noreferrer">the service's documentation of it</a></p>}
      {props.base !== null && (
        <Field label="Base address" hint="a one-off: sent without a connection and without signing in, until it is kept as a service">
          {(id) => <input id={id} className="input w-full font-mono text-xs" placeholder="https://register.example" value={props.base ?? ""} onChange={(e) => props.onBase(e.target.value)} />}
        </Field>
      )}
      {isEditing && <Describe {...props} />}
      {inputs.map((input) => (
        <InputField
          key={input.name}
          input={input}
          value={values[input.name]}
          problem={problems.find((one) => one.where === `/${input.name}`)?.message}
          onChange={(value) => {
            const next = { ...values };
            if (value === undefined) delete next[input.name];
            else next[input.name] = value;
            props.onValues(next);
          }}
        />
      ))}
      {inputs.length === 0 && !isEditing && <p className="mb-3 text-sm opacity-75">It takes no inputs.</p>}
      <p className="mb-1 text-sm opacity-80">This will be sent</p>
      <ProblemAlert error={props.shownError} />
      <pre aria-label="The request as it will be sent" className="mb-2 max-h-64 overflow-auto rounded-field bg-base-200 px-2.5 py-2 font-mono text-xs break-all whitespace-pre-wrap">{shown ? shown.text : "…"}</pre>
      {problems.map((one) => (
        <p key={one.where + one.message} className="mb-1 border-l-2 border-warning pl-2 text-xs">
          {one.message}{one.hint && <span className="opacity-80">. {one.hint}</span>}
        </p>
      ))}
      {shown?.warnings.map((one) => <p key={one.message} className="mb-1 border-l-2 border-warning pl-2 text-xs">{one.message}<span className="opacity-80">. {one.hint}</span></p>)}
      {shown?.findings.map((one) => (
        <div key={one.place} className="mb-1 border-l-2 border-error pl-2 text-xs">
          The {one.kind} <code className="font-mono">{one.name}</code> looks like a key: {one.reason}.
          {props.maySend && props.base === null && one.place !== "/body/content" && <button type="button" className="btn btn-xs mt-1 block" onClick={() => props.onMoveKey(one.place)}>Move it into the credential</button>}
        </div>
      ))}
      <ProblemAlert error={props.moveError} />
      {shown && shown.sign_in !== "none" && <p className="mb-1 text-xs opacity-75">sign-in: {shown.sign_in}</p>}
      <div className="mt-2 flex items-center gap-2 text-sm">
        <label htmlFor="environment">in</label>
        <select id="environment" className="select select-sm w-28" value={props.environment} onChange={(e) => props.onEnvironment(e.target.value)}>
          {props.environments.map((one) => <option key={one}>{one}</option>)}
        </select>
        <span className="text-xs opacity-75">{reads ? "only reads" : "may change something"}</span>
      </div>
      {!reads && (
        <label className="mt-2 flex items-center gap-2 text-sm">
          <input type="checkbox" className="checkbox checkbox-sm" checked={confirmed} onChange={(e) => setConfirmed(e.target.checked)} /> I have looked at the request; send it
        </label>
      )}
      {!reads && props.isProtected && (
        <label className="mt-2 flex items-center gap-2 text-sm">
          <input type="checkbox" className="checkbox checkbox-sm" checked={meant} onChange={(e) => setMeant(e.target.checked)} /> {props.environment} is protected; writing there is meant
        </label>
      )}
      <button type="button" className="btn btn-primary mt-3" disabled={props.isSending || !props.maySend || problems.length > 0 || (!reads && (!confirmed || (props.isProtected && !meant)))} onClick={() => props.onSend(confirmed, meant)}>
        {props.isSending ? "Waiting for the service" : "Send this request"}
      </button>
      <p className="mt-1 text-xs opacity-70">Sends the draft on this screen, saved or not.</p>
      <div className="mt-2"><ProblemAlert error={props.sendError} /></div>
      <Condition {...props} />
      <Paging {...props} />
    </div>
  );
}

function InputField({ input, value, problem, onChange }: { input: Input; value: string | undefined; problem?: string; onChange: (value: string | undefined) => void }) {
  const aside = [input.unit, input.type ?? "text", input.required ? "required" : "optional"].filter(Boolean).join(" · ");
  const fallback = input.default !== undefined && input.default !== null ? `default ${String(input.default)}` : input.required ? "" : "left out";
  const wrong = input.type === "integer" && value && !/^[+-]?\d*$/.test(value) ? "takes a whole number" : problem;
  return (
    <Field label={input.title || input.name} aside={aside} hint={input.description} problem={wrong}>
      {(id) =>
        input.allowed?.length ? (
          <select id={id} className="select w-full" value={value ?? ""} onChange={(e) => onChange(e.target.value || undefined)}>
            <option value="">{fallback}</option>
            {input.allowed.map((one) => <option key={String(one)}>{String(one)}</option>)}
          </select>
        ) : (
          <div className="flex gap-1">
            <input id={id} className="input w-full" inputMode={input.type === "integer" ? "numeric" : undefined} type={input.type === "date" ? "date" : "text"} placeholder={value === "" ? "a blank is sent" : fallback} value={value ?? ""} onChange={(e) => onChange(e.target.value || undefined)} />
            {(input.type ?? "text") === "text" && !input.required && (
              <button type="button" className={`btn btn-sm h-auto text-xs ${value === "" ? "btn-active" : "btn-ghost"}`} aria-pressed={value === ""} title="send a blank value instead of leaving it out" onClick={() => onChange(value === "" ? undefined : "")}>blank</button>
            )}
          </div>
        )
      }
    </Field>
  );
}

function Describe(props: Props) {
  const { document, onDocument, onAddress, addressError } = props;
  const [address, setAddress] = useState("");
  const set = (change: Partial<OperationDocument>) => onDocument({ ...document, ...change });
  const inputs = document.inputs ?? [];
  return (
    <div className="mb-4 rounded-box border border-base-300 p-3">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          onAddress(address);
          setAddress("");
        }}
      >
        <Field label="Paste a whole address" hint="or a request as HTTP text, or a list of parameters from the documentation; it is taken apart">
          {(id) => (
            <div className="flex items-start gap-1">
              <textarea id={id} className="textarea min-h-0 w-full font-mono text-xs" rows={Math.min(6, Math.max(1, address.split("\n").length))} spellCheck={false} placeholder="https://register.example/v1/trees?district={district}" value={address} onChange={(e) => setAddress(e.target.value)} />
              <button className="btn btn-sm" disabled={!address.trim()}>Take apart</button>
            </div>
          )}
        </Field>
      </form>
      <ProblemAlert error={addressError} />
      <Field label="Path" hint="below the base address; a place for a value is written {name}">
        {(id) => (
          <div className="flex gap-1">
            <input id={id} className="input w-full font-mono text-xs" value={document.path ?? "/"} onChange={(e) => set({ path: e.target.value })} />
            <select className="select w-28" aria-label="Method" value={document.method ?? "GET"} onChange={(e) => set({ method: e.target.value as OperationDocument["method"] })}>
              {["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"].map((one) => <option key={one}>{one}</option>)}
            </select>
          </div>
        )}
      </Field>
      <Parameters title="Query" word="a parameter" begun={(name) => ({ name })} list={document.query ?? []} inputs={inputs} standing={props.standing} onChange={(query, more = []) => set({ query, inputs: [...inputs, ...more] })} />
      <Parameters title="Headers" word="a header" begun={(name) => ({ name })} list={document.headers ?? []} inputs={inputs} standing={props.standing} onChange={(headers, more = []) => set({ headers, inputs: [...inputs, ...more] })} />
      {document.odata && <ODataPart project={props.project} document={document} onDocument={onDocument} />}
      {(document.cookies?.length ?? 0) > 0 && <Parameters title="Cookies" word="a cookie" begun={(name) => ({ name })} list={document.cookies ?? []} inputs={inputs} standing={props.standing} onChange={(cookies, more = []) => set({ cookies, inputs: [...inputs, ...more] })} />}
      {(!["GET", "HEAD", "OPTIONS"].includes(document.method ?? "GET") || document.body?.type === "graphql") && <BodyEditor project={props.project} document={document} standing={props.standing} onDocument={onDocument} />}
      <fieldset>
        <legend className="mb-1 text-sm font-medium">Inputs</legend>
        {inputs.map((input, number) => {
          const change = (part: Partial<Input>) => set({ inputs: inputs.map((one, at) => (at === number ? { ...one, ...part } : one)) });
          return (
            <div key={number} className="mb-1 flex flex-wrap items-center gap-1 text-xs">
              <span className="w-24 truncate font-mono">{input.name}</span>
              <select className="select select-xs w-24" aria-label={`type of ${input.name}`} value={input.type ?? "text"} onChange={(e) => change({ type: e.target.value as Input["type"] })}>
                {["text", "integer", "decimal", "boolean", "date", "datetime", "json"].map((one) => <option key={one}>{one}</option>)}
              </select>
              <label className="flex items-center gap-1"><input type="checkbox" className="checkbox checkbox-xs" checked={input.required ?? false} onChange={(e) => change({ required: e.target.checked })} /> required</label>
              <input className="input input-xs w-20" aria-label={`default of ${input.name}`} placeholder="default" value={input.default === undefined ? "" : String(input.default)} onChange={(e) => change({ default: e.target.value === "" ? undefined : e.target.value })} />
              <button type="button" className="btn btn-ghost btn-xs" aria-label={`take away the input ${input.name}`} onClick={() => set({ inputs: inputs.filter((_, at) => at !== number) })}><Trash2 className="size-3.5" aria-hidden /></button>
            </div>
          );
        })}
        <AddName label="an input" onAdd={(name) => set({ inputs: [...inputs, { name }] })} />
      </fieldset>
      <label className="mt-3 flex items-center gap-2 text-sm">
        <input type="checkbox" className="checkbox checkbox-sm" checked={document.enabled ?? true} onChange={(e) => set({ enabled: e.target.checked })} /> enabled: it may be sent
      </label>
    </div>
  );
}

/** What came back has a version: ask again only for another one, or change only the one that was seen (RFC 9110, section 13). */
function Condition({ document, trial, onDocument, onValues, values }: Props) {
  const seen = trial?.call.headers.find(([name]) => name?.toLowerCase() === "etag")?.[1];
  const header = isReading(document) ? "If-None-Match" : "If-Match";
  const input = header.toLowerCase().replaceAll("-", "_");
  const has = (document.headers ?? []).some((one) => one.name.toLowerCase() === header.toLowerCase());
  if (!seen) return null;
  if (has) return values[input] === seen ? null : <p className="mt-3 text-xs"><button type="button" className="link" onClick={() => onValues({ ...values, [input]: seen })}>use the version seen, {seen}, for {header}</button></p>;
  const add = () => {
    onDocument({ ...document, headers: [...(document.headers ?? []), { name: header, value: { input } }], inputs: [...(document.inputs ?? []), { name: input, description: isReading(document) ? "the version already there; without it, the content is sent in any case" : "the version that was seen; refused if somebody has changed it since" }] });
    onValues({ ...values, [input]: seen });
  };
  return (
    <p className="mt-3 text-sm">
      The response has a version. <button type="button" className="link text-accent" onClick={add}>{isReading(document) ? "ask only for a newer one" : "change only this one"}</button>
    </p>
  );
}

function Paging({ document, trial, onDocument }: Props) {
  const paging = document.paging;
  const guesses = trial?.paging ?? [];
  if (!paging && guesses.length === 0) return null;
  const words = { link_header: "next link in the Link header", next_address: "next address in the body", page_number: "page number" };
  return (
    <div className="mt-5 text-sm">
      <Heading>Pages</Heading>
      {paging ? (
        <p>
          {words[paging.type]} <button type="button" className="link text-xs" onClick={() => onDocument({ ...document, paging: null })}>do not page</button>
        </p>
      ) : (
        guesses.map((one) => (
          <p key={one.reason}>
            found: {one.reason}{" "}
            <button type="button" className="link text-accent" onClick={() => onDocument({ ...document, paging: one.paging as OperationDocument["paging"] })}>follow it</button>
          </p>
        ))
      )}
    </div>
  );
}
