import { useState } from "react";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useQueries } from "../../ui/prepared";
import { QueryEditor } from "./QueryEditor";
import { TextParts } from "../../ui/TextParts";
import { useBodyFromSample, useChosenBody, type Input, type OperationDocument } from "./bench";
import { AddName, type Body, type Named, Parameters } from "./Parameters";

interface Props {
  project: string;
  document: OperationDocument;
  standing: string[];
  onDocument: (document: OperationDocument) => void;
}

const KINDS: [Body["type"] | "none", string][] = [
  ["none", "no body"],
  ["graphql", "a GraphQL query"],
  ["json", "JSON from members"],
  ["xml", "XML from elements"],
  ["form", "form fields"],
  ["multipart", "parts and files"],
  ["text", "text with places for values"],
  ["bytes", "bytes, from base64"],
  ["soap", "a SOAP envelope"],
];
type FilePart = NonNullable<Extract<Body, { type: "multipart" }>["parts"]>[number];
type Typed = Named & { type?: (typeof TYPES)[number] };
const TYPES = ["text", "integer", "decimal", "boolean", "json", "json_text"] as const;

function begun(kind: string): Body | null {
  if (kind === "graphql") return { type: "graphql", query: "", kind: "query" };
  if (kind === "json") return { type: "json", members: [] };
  if (kind === "xml") return { type: "xml", namespaces: {}, root: "request", elements: [] };
  if (kind === "soap") return { type: "soap", version: "1.1", namespaces: {}, root: "request", elements: [] };
  if (kind === "multipart") return { type: "multipart", parts: [] };
  if (kind === "bytes") return { type: "bytes", media_type: "application/octet-stream", content: "" };
  if (kind === "form") return { type: "form", fields: [] };
  if (kind === "text") return { type: "text", media_type: "application/json", content: "" };
  return null;
}

/** What is sent as the body, by its kind. */
export function BodyEditor({ project, document, standing, onDocument }: Props) {
  const inputs = document.inputs ?? [];
  const body = document.body ?? null;
  const prepared = (useQueries(project).data ?? [])
    .filter((one) => one.document.language === "other")
    .map((one) => one.name);
  const put = (next: Body | null, more: Input[] = []) =>
    onDocument({ ...document, body: next, inputs: [...inputs, ...more] });
  return (
    <fieldset className="mb-3 min-w-0">
      <legend className="mb-1 text-sm font-medium">Body</legend>
      <select
        className="select select-xs mb-1 w-56"
        aria-label="Kind of body"
        value={body?.type ?? "none"}
        onChange={(e) => put(begun(e.target.value))}
      >
        {KINDS.map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
      </select>
      <OtherBodies project={project} document={document} onDocument={onDocument} />
      <FromSample project={project} onMade={(made) => onDocument(withBody(document, made))} />
      {body?.type === "graphql" && (
        <QueryEditor
          project={project}
          body={body}
          definition={document.came_from?.definition ?? ""}
          inputs={inputs}
          standing={standing}
          onBody={put}
        />
      )}
      {body?.type === "json" && (
        <Parameters
          title="Members, each at its place"
          word="a member, such as /place/street"
          inputs={inputs}
          standing={standing}
          begun={(name): Typed => ({ name: name.startsWith("/") ? name : `/${name}` })}
          list={(body.members ?? []).map(({ at, ...rest }) => ({ name: at, ...rest }))}
          onChange={(members, more) =>
            put({ ...body, members: members.map(({ name, ...rest }) => ({ at: name, ...rest })) }, more)
          }
          extra={(one, change) => (
            <select
              className="select select-xs w-20"
              aria-label={`how ${one.name} is written`}
              value={one.type ?? "text"}
              onChange={(e) => change({ type: e.target.value as (typeof TYPES)[number] })}
            >
              {TYPES.map((type) => (
                <option key={type} value={type}>
                  {type.replace("_", " in ")}
                </option>
              ))}
            </select>
          )}
        />
      )}
      {(body?.type === "soap" || body?.type === "xml") && (
        <ElementsEditor body={body} inputs={inputs} standing={standing} onBody={put} />
      )}
      {body?.type === "multipart" && (
        <Parameters
          title="Parts"
          word="a part"
          inputs={inputs}
          standing={standing}
          begun={(name): FilePart => ({ name })}
          list={body.parts ?? []}
          onChange={(parts, more) => put({ ...body, parts }, more)}
          extra={(one, change) => (
            <>
              <input
                className="input input-xs w-24"
                aria-label={`file name of ${one.name}`}
                placeholder="file name"
                value={one.file_name ?? ""}
                onChange={(e) => change({ file_name: e.target.value })}
              />
              <input
                className="input input-xs w-28 font-mono"
                aria-label={`media type of ${one.name}`}
                placeholder="media type"
                value={one.media_type ?? ""}
                onChange={(e) => change({ media_type: e.target.value })}
              />
              <label className="flex items-center gap-1">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={one.encoding === "base64"}
                  onChange={(e) => change({ encoding: e.target.checked ? "base64" : "text" })}
                />{" "}
                base64
              </label>
              {(one.headers?.length ?? 0) > 0 && (
                <span className="opacity-75">with {one.headers?.map((each) => each.name).join(", ")}</span>
              )}
            </>
          )}
        />
      )}
      {body?.type === "form" && (
        <Parameters
          title="Fields"
          word="a field"
          begun={(name) => ({ name })}
          list={body.fields ?? []}
          inputs={inputs}
          standing={standing}
          onChange={(fields, more) => put({ ...body, fields }, more)}
        />
      )}
      {(body?.type === "json" || body?.type === "form" || body?.type === "multipart") && (
        <label className="mb-1 flex items-center gap-2 text-xs">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={body.optional ?? false}
            onChange={(e) => put({ ...body, optional: e.target.checked })}
          />{" "}
          nothing is sent where no value is given
        </label>
      )}
      {(body?.type === "text" || body?.type === "bytes") && (
        <>
          <input
            className="input input-xs mb-1 w-56 font-mono"
            aria-label="Media type of the body"
            value={body.media_type ?? ""}
            onChange={(e) => put({ ...body, media_type: e.target.value })}
          />
          <TextParts
            value={body.content ?? ""}
            inputs={inputs}
            standing={standing}
            prepared={prepared}
            onChange={(content) => put({ ...body, content })}
          />
        </>
      )}
    </fieldset>
  );
}

/** Which of the bodies is sent that the service takes. */
function OtherBodies({ project, document, onDocument }: Pick<Props, "project" | "document" | "onDocument">) {
  const others = document.other_bodies ?? [];
  const choose = useChosenBody(project);
  if (others.length === 0) return null;
  const now = mediaTypeOf(document.body ?? null);
  return (
    <div className="mb-2 text-xs">
      <label className="flex items-center gap-2">
        <span className="whitespace-nowrap">sent as</span>
        <select
          className="select select-xs w-64 font-mono"
          disabled={choose.isPending}
          value={now}
          onChange={(e) =>
            choose.mutate({ document, mediaType: e.target.value }, { onSuccess: (made) => onDocument(made.document) })
          }
        >
          <option value={now}>{now || "no body"}</option>
          {others.map((one) => (
            <option key={one.media_type} value={one.media_type}>
              {one.media_type}
            </option>
          ))}
        </select>
      </label>
      <ProblemAlert error={choose.error} />
    </div>
  );
}

function mediaTypeOf(body: Body | null): string {
  if (body?.type === "form") return "application/x-www-form-urlencoded";
  if (body?.type === "multipart") return "multipart/form-data";
  if (body?.type === "json" || body?.type === "text" || body?.type === "bytes" || body?.type === "xml")
    return body.media_type ?? (body.type === "json" ? "application/json" : body.type);
  return body?.type ?? "";
}

/** The operation with another body and its inputs; those that only the body before it used go with it. */
function withBody(document: OperationDocument, made: OperationDocument): OperationDocument {
  const { body: _, inputs = [], ...rest } = document;
  const text = JSON.stringify(rest);
  const kept = inputs.filter(
    (one) =>
      !made.inputs?.some((other) => other.name === one.name) &&
      (text.includes(`"${one.name}"`) || new RegExp(`[{,]${one.name}[},*:]`).test(text)),
  );
  return { ...rest, body: made.body, inputs: [...kept, ...(made.inputs ?? [])] };
}

/** A body as the documentation shows it, made into members or elements with an input for each of its values. */
function FromSample({ project, onMade }: { project: string; onMade: (made: OperationDocument) => void }) {
  const [text, setText] = useState("");
  const read = useBodyFromSample(project);
  return (
    <details className="mb-2 text-xs">
      <summary className="cursor-pointer">make it from a sample</summary>
      <textarea
        className="textarea mt-1 w-full font-mono text-xs"
        rows={4}
        aria-label="Sample of the body"
        placeholder={'{"number": "OLM-00412", "girth": 2.5}, a form, or XML'}
        spellCheck={false}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <ProblemAlert error={read.error} />
      <button
        type="button"
        className="btn btn-xs mt-1"
        disabled={!text.trim() || read.isPending}
        onClick={() =>
          read.mutate(text, {
            onSuccess: (made) => {
              onMade(made.operation);
              setText("");
            },
          })
        }
      >
        Take it apart
      </button>
    </details>
  );
}

type OfElements = Extract<Body, { type: "soap" | "xml" }>;

/**
 * XML, alone or in a SOAP envelope with its version and action: the elements below its root, in the order in which they
 * are written.
 */
function ElementsEditor({
  body,
  inputs,
  standing,
  onBody,
}: {
  body: OfElements;
  inputs: Input[];
  standing: string[];
  onBody: (body: Body, more?: Input[]) => void;
}) {
  const begun = (name: string): Named => ({ name });
  const named = (list: OfElements["elements"]) => (list ?? []).map(({ at, ...rest }) => ({ name: at, ...rest }));
  const placed = (list: Named[]) => list.map(({ name, ...rest }) => ({ at: name, ...rest }));
  return (
    <div className="text-xs">
      <div className="mb-2 flex flex-wrap items-center gap-1">
        {body.type === "soap" ? (
          <>
            <select
              className="select select-xs w-24"
              aria-label="SOAP version"
              value={body.version ?? "1.1"}
              onChange={(e) => onBody({ ...body, version: e.target.value as "1.1" | "1.2" })}
            >
              <option value="1.1">SOAP 1.1</option>
              <option value="1.2">SOAP 1.2</option>
            </select>
            <input
              className="input input-xs min-w-0 flex-1 font-mono"
              aria-label="SOAP action"
              placeholder="action"
              value={body.action ?? ""}
              onChange={(e) => onBody({ ...body, action: e.target.value })}
            />
          </>
        ) : (
          <input
            className="input input-xs min-w-0 flex-1 font-mono"
            aria-label="Media type of the body"
            value={body.media_type ?? "application/xml"}
            onChange={(e) => onBody({ ...body, media_type: e.target.value })}
          />
        )}
        <input
          className="input input-xs w-36 font-mono"
          aria-label="Root element"
          value={body.root ?? ""}
          onChange={(e) => onBody({ ...body, root: e.target.value })}
        />
      </div>
      {Object.entries(body.namespaces ?? {}).map(([prefix, uri]) => (
        <p key={prefix} className="font-mono opacity-75">
          {prefix} = {uri}
        </p>
      ))}
      <AddName
        label="a namespace, such as p=urn:permits"
        onAdd={(text) => {
          const [prefix = "", uri = ""] = text.split(/=(.*)/s);
          onBody({ ...body, namespaces: { ...body.namespaces, [prefix]: uri } });
        }}
      />
      <Parameters
        title="Elements"
        word="an element, such as p:span/p:from"
        inputs={inputs}
        standing={standing}
        begun={begun}
        list={named(body.elements)}
        onChange={(elements, more) => onBody({ ...body, elements: placed(elements) }, more)}
      />
      {body.type === "soap" && (
        <Parameters
          title="SOAP headers"
          word="a header element"
          inputs={inputs}
          standing={standing}
          begun={begun}
          list={named(body.headers)}
          onChange={(headers, more) => onBody({ ...body, headers: placed(headers) }, more)}
        />
      )}
      {body.type === "soap" && (
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={body.reads ?? false}
            onChange={(e) => onBody({ ...body, reads: e.target.checked })}
          />{" "}
          it only reads
        </label>
      )}
    </div>
  );
}
