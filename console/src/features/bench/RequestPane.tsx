import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { Field, Heading } from "../../ui/parts";
import { Paging } from "./Paging";
import { Advice } from "../../ui/Advice";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useRecordTypes } from "../records/records";
import { type Input, isReading, type OperationDocument, type RecordGiven } from "./bench";
import { Describe } from "./Describe";
import { asText } from "../../ui/text";

interface Props {
  /** While it is described, the request has the width that it needs. */
  isDescribing: boolean;
  onDescribing: (isDescribing: boolean) => void;
  document: OperationDocument;
  values: Record<string, string>;
  environment: string;
  environments: string[];
  shown: Schemas["RequestShown"] | undefined;
  shownError: unknown;
  isSending: boolean;
  isTakingApart: boolean;
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
  /** The connection that the request goes over; empty for a one-off. */
  connection: string;
  /** What was pasted, if the connection would send it elsewhere; somebody has to say whether that is meant. */
  elsewhere: Schemas["PasteParts"] | null;
  onElsewhere: (isMeant: boolean) => void;
  record: RecordGiven | null;
  onRecord: (record: RecordGiven | null) => void;
}

/** Left: the inputs with their meaning, the request as it will be sent, and the button that sends it. */
export function RequestPane(props: Props) {
  const { document, values, shown } = props;
  const inputs = document.inputs ?? [];
  const problems = shown?.problems ?? [];
  const reads = isReading(document);
  const isEmpty =
    inputs.length > 0 &&
    !props.record &&
    inputs.every(
      (one) =>
        one.default === undefined &&
        (values[one.name] === undefined || values[one.name] === null || values[one.name] === ""),
    );
  const [confirmed, setConfirmed] = useState(false);
  const [wasEmpty, setWasEmpty] = useState(isEmpty);
  if (wasEmpty !== isEmpty) {
    // what was said of a request with values is not said of one without any
    setWasEmpty(isEmpty);
    setConfirmed(false);
  }
  const [meant, setMeant] = useState(false);
  return (
    <div className="flex min-h-0 flex-col">
      <div className="min-h-0 flex-1 p-3 lg:overflow-auto">
        <Heading
          aside={
            <button type="button" className="link text-xs" onClick={() => props.onDescribing(!props.isDescribing)}>
              {props.isDescribing ? "done" : "describe"}
            </button>
          }
        >
          Request
        </Heading>
        {document.documentation && (
          <p className="mb-2 text-xs">
            <a className="link" href={document.documentation} target="_blank" rel="noreferrer">
              the service's documentation of it
            </a>
          </p>
        )}
        {props.base !== null && (
          <Field
            label="Base address"
            hint="a one-off: sent without a connection and without signing in, until it is kept as a service"
          >
            {(id) => (
              <input
                id={id}
                className="input w-full font-mono text-xs"
                placeholder="https://register.example"
                value={props.base ?? ""}
                onChange={(e) => props.onBase(e.target.value)}
              />
            )}
          </Field>
        )}
        {props.isDescribing && <Describe {...props} />}
        {inputs.map((input) => (
          <div key={input.name} data-input={input.name}>
            <InputField
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
          </div>
        ))}
        {inputs.length > 0 && props.base === null && <FromRecord {...props} />}
        {inputs.length === 0 && !props.isDescribing && <p className="mb-3 text-sm opacity-75">It takes no inputs.</p>}
        <Condition {...props} />
        <Paging
          project={props.project}
          paging={document.paging}
          guesses={props.trial?.paging ?? []}
          readOnly={!props.maySend}
          onPaging={(paging) => props.onDocument({ ...document, paging })}
        />
      </div>
      <div className="max-h-[65vh] shrink-0 overflow-auto border-t border-base-300 p-3">
        <p className="mb-1 text-sm opacity-80">This will be sent</p>
        <ProblemAlert error={props.shownError} />
        <pre
          aria-label="The request as it will be sent"
          className="mb-2 max-h-32 overflow-auto rounded-field bg-base-200 px-2.5 py-2 font-mono text-xs break-all whitespace-pre-wrap"
        >
          {shown ? shown.text : props.base === "" ? "Paste an address, or say where it goes." : "…"}
        </pre>
        {shown && shown.origins.length > 0 && (
          <Origins
            origins={shown.origins}
            project={props.project}
            connection={props.connection}
            onDescribe={() => props.onDescribing(true)}
          />
        )}
        {problems.map((one) => (
          <p key={one.where + one.message} className="mb-1 border-l-2 border-warning pl-2 text-xs">
            {one.message}
            {one.hint && (
              <span className="opacity-80">
                . <Advice hint={one.hint} />
              </span>
            )}
          </p>
        ))}
        {shown?.warnings.map((one) => (
          <p key={one.message} className="mb-1 border-l-2 border-warning pl-2 text-xs">
            {one.message}
            <span className="opacity-80">. {one.hint}</span>
          </p>
        ))}
        {shown?.findings.map((one) => (
          <div key={one.place} className="mb-1 border-l-2 border-error pl-2 text-xs">
            The {one.kind} <code className="font-mono">{one.name}</code> looks like a key: {one.reason}.
            {props.maySend && props.base === null && one.place !== "/body/content" && (
              <button type="button" className="btn btn-xs mt-1 block" onClick={() => props.onMoveKey(one.place)}>
                Move it into the credential
              </button>
            )}
          </div>
        ))}
        <ProblemAlert error={props.moveError} />
        {shown && shown.sign_in !== "none" && (
          <p className="mb-1 text-xs opacity-75">
            sign-in:{" "}
            {shown.sign_in === "own" || !shown.connection ? (
              shown.sign_in
            ) : (
              <>
                from{" "}
                <Link className="link" to={`/p/${props.project}/connections/${shown.connection}`}>
                  connection
                </Link>
              </>
            )}
          </p>
        )}
        <div className="mt-2 flex items-center gap-2 text-sm">
          <label htmlFor="environment">in</label>
          <select
            id="environment"
            className="select select-sm w-28"
            value={props.environment}
            onChange={(e) => props.onEnvironment(e.target.value)}
          >
            {props.environments.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <span className="text-xs opacity-75">{reads ? "only reads" : "may change something"}</span>
        </div>
        {!reads && (
          <label className="mt-2 flex items-center gap-2 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={confirmed}
              onChange={(e) => setConfirmed(e.target.checked)}
            />{" "}
            {isEmpty ? "No input has a value, and that is meant; send it" : "I have looked at the request; send it"}
          </label>
        )}
        {!reads && props.isProtected && (
          <label className="mt-2 flex items-center gap-2 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={meant}
              onChange={(e) => setMeant(e.target.checked)}
            />{" "}
            {props.environment} is protected; writing there is meant
          </label>
        )}
        <button
          type="button"
          className="btn btn-primary mt-3"
          aria-disabled={props.isSending}
          disabled={
            !props.maySend ||
            props.isTakingApart ||
            (!shown && !props.shownError) ||
            problems.length > 0 ||
            (!reads && (!confirmed || (props.isProtected && !meant)))
          }
          onClick={() => props.onSend(confirmed, meant)}
        >
          {props.isSending ? "Waiting for the service" : "Send this request"}
        </button>
        <p className="mt-1 text-xs opacity-70">
          {!props.maySend
            ? "Your role in this project does not send."
            : props.isTakingApart
              ? "Not before what was pasted is taken apart."
              : problems.length > 0
                ? "Not before what is said above is mended."
                : !reads && !confirmed
                  ? "It is sent when you have said so above."
                  : "Sends the draft on this screen, saved or not."}
        </p>
        <div className="mt-2">
          <ProblemAlert error={props.sendError} />
        </div>
      </div>
    </div>
  );
}

/** Every value of the request with where it comes from; each leads there. */
function Origins({
  origins,
  project,
  connection,
  onDescribe,
}: {
  origins: Schemas["OriginItem"][];
  project: string;
  connection: string;
  onDescribe: () => void;
}) {
  const leads = (source: string) => {
    const input = /^(?:input|default) (.+)$/.exec(source)?.[1];
    const record = /^field \S+ of (\S+) (.+)$/.exec(source);
    if (record)
      return (
        <Link
          className="link"
          to={`/p/${project}/records/${record[1]}/${record[2]!.split(", ").map(encodeURIComponent).join("/")}`}
        >
          {source}
        </Link>
      );
    if (input)
      return (
        <button
          type="button"
          className="link text-left"
          onClick={() => document.querySelector<HTMLElement>(`[data-input="${input}"] :is(input, select)`)?.focus()}
        >
          {source}
        </button>
      );
    if (source.startsWith("standing value"))
      return (
        <Link className="link" to={`/p/${project}/environments`}>
          {source}
        </Link>
      );
    if (source === "connection" && connection)
      return (
        <Link className="link" to={`/p/${project}/connections/${connection}`}>
          {source}
        </Link>
      );
    return source === "operation" ? (
      <button type="button" className="link text-left" onClick={onDescribe}>
        fixed in the operation
      </button>
    ) : (
      <>{source}</>
    );
  };
  const [isOpen, setOpen] = useState(false);
  return (
    <details className="mb-2 text-xs" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="cursor-pointer opacity-80">Where each value comes from</summary>
      <table className="mt-1 w-full">
        <tbody>
          {isOpen &&
            origins.map((one, number) => (
              <tr key={number} className="border-t border-base-300 align-top">
                <td className="py-1 pr-2 opacity-75">{one.place}</td>
                <td className="py-1 pr-2 font-mono break-all">
                  {one.name}
                  <span className="block opacity-75">{one.value.slice(0, 60)}</span>
                </td>
                <td className="py-1">
                  {leads(one.source)}
                  {one.replaces && <span className="block opacity-75">in place of {one.replaces}</span>}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </details>
  );
}

/** A kept record in place of typing: its fields fill the inputs that are left empty. */
function FromRecord({ project, record, onRecord }: Props) {
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
          onRecord(type && key ? { record_type: type, key: key.split("/") } : null);
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
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => onRecord(null)}>
            do not
          </button>
        )}
      </form>
    </details>
  );
}

function InputField({
  input,
  value,
  problem,
  onChange,
}: {
  input: Input;
  value: string | undefined;
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

/**
 * What came back has a version: ask again only for another one, or change only the one that was seen (RFC 9110, section
 * 13).
 */
function Condition({ document, trial, onDocument, onValues, values }: Props) {
  const seen = trial?.call.headers.find(([name]) => name?.toLowerCase() === "etag")?.[1];
  const header = isReading(document) ? "If-None-Match" : "If-Match";
  const input = header.toLowerCase().replaceAll("-", "_");
  const has = (document.headers ?? []).some((one) => one.name.toLowerCase() === header.toLowerCase());
  if (!seen) return null;
  if (has)
    return values[input] === seen ? null : (
      <p className="mt-3 text-xs">
        <button type="button" className="link" onClick={() => onValues({ ...values, [input]: seen })}>
          use the version seen, {seen}, for {header}
        </button>
      </p>
    );
  const add = () => {
    onDocument({
      ...document,
      headers: [...(document.headers ?? []), { name: header, value: { input } }],
      inputs: [
        ...(document.inputs ?? []),
        {
          name: input,
          description: isReading(document)
            ? "the version already there; without it, the content is sent in any case"
            : "the version that was seen; refused if somebody has changed it since",
        },
      ],
    });
    onValues({ ...values, [input]: seen });
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
