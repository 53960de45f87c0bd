import { useState } from "react";
import type { Schemas } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useQueries, useSaveQuery } from "../../ui/prepared";
import type { Input } from "./bench";
import type { Body } from "./Parameters";

type GraphQLBody = Extract<Body, { type: "graphql" }>;

interface Props {
  project: string;
  body: GraphQLBody;
  inputs: Input[];
  onBody: (body: Body, more?: Input[]) => void;
}

/** Whether the query is written here, or one that is kept once for several operations. */
export function PreparedPart({ project, body, inputs, onBody }: Props) {
  const queries = useQueries(project);
  const save = useSaveQuery(project);
  const [name, setName] = useState("");
  const [draft, setDraft] = useState<string | null>(null);
  const chosen = queries.data?.find((one) => one.name === body.prepared);
  const known = (queries.data ?? []).filter((one) => (one.document.language ?? "graphql") === "graphql");
  const choose = (item: Schemas["PreparedQuery"]) => {
    const missing = (item.document.variables ?? []).filter((one) => !inputs.some((other) => other.name === one.name));
    onBody({ type: "graphql", prepared: item.name, kind: item.document.kind }, missing);
  };
  return (
    <div className="mb-2">
      {/* always there: it may not push what is below it when the list comes */}
      <select
        className="select select-xs mb-1 w-56"
        aria-label="Where the query is kept"
        disabled={known.length === 0 && !body.prepared}
        value={body.prepared ?? ""}
        onChange={(e) => {
          const item = known.find((one) => one.name === e.target.value);
          if (item) choose(item);
          else onBody({ ...body, prepared: "", query: chosen?.document.query ?? "" });
        }}
      >
        <option value="">written here</option>
        {known.map((one) => (
          <option key={one.name} value={one.name}>
            prepared: {one.name}
          </option>
        ))}
        {body.prepared && !chosen && <option value={body.prepared}>prepared: {body.prepared}</option>}
      </select>
      {chosen && (
        <>
          <textarea
            className="textarea w-full font-mono text-xs"
            aria-label="Prepared query"
            rows={8}
            spellCheck={false}
            value={draft ?? chosen.document.query ?? ""}
            onChange={(e) => setDraft(e.target.value)}
          />
          <p className="opacity-80">used by {chosen.used_by.join(", ") || "nothing yet"}</p>
          {draft !== null && draft !== chosen.document.query && (
            <button
              type="button"
              className="btn btn-xs"
              disabled={save.isPending}
              onClick={() =>
                save.mutate(
                  { item: chosen, name: chosen.name, document: { ...chosen.document, query: draft } },
                  { onSuccess: () => setDraft(null) },
                )
              }
            >
              Change it for all that use it
            </button>
          )}
        </>
      )}
      {!body.prepared && (body.query ?? "").trim() !== "" && (
        <form
          className="flex gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            const variables = (body.variables ?? [])
              .map((one) =>
                inputs.find(
                  (other) =>
                    typeof one.value === "object" &&
                    one.value !== null &&
                    "input" in one.value &&
                    other.name === one.value.input,
                ),
              )
              .filter((one) => one !== undefined);
            save.mutate(
              { item: null, name, document: { query: body.query, kind: body.kind, variables } },
              {
                onSuccess: (made) => {
                  setName("");
                  choose(made);
                },
              },
            );
          }}
        >
          <input
            className="input input-xs w-36"
            aria-label="Name to keep the query under"
            placeholder="name to keep it under"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <button className="btn btn-ghost btn-xs" disabled={!name || save.isPending}>
            keep it for others
          </button>
        </form>
      )}
      <ProblemAlert error={save.error} />
    </div>
  );
}
