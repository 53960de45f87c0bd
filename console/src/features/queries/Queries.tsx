import { Trash2 } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useName } from "../../ui/naming";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Field, Heading, Tag } from "../../ui/parts";
import { useQueries, useSaveQuery } from "../../ui/prepared";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { TextParts } from "../../ui/TextParts";
import { TypeSelect } from "../bench/TypeSelect";
import { UsedBy } from "../finding/UsedBy";
import { usePermission } from "../session/session";

type Query = Schemas["PreparedQuery"];
type QueryDocument = Query["document"];
type Variable = NonNullable<QueryDocument["variables"]>[number];
const LITERALS = {
  doubled: "with quote marks doubled: 'O''Hara'",
  backslash: "with a backslash before quote marks: 'O\\'Hara'",
  json: 'as in JSON: "O\'Hara"',
};

/** Query texts that are kept once, each with its variables and what uses it. */
export default function Queries() {
  const { project = "" } = useParams();
  const found = useQueries(project);
  const mayBuild = usePermission(project, "build");
  const [search, setSearch] = useState("");
  const [open, setOpen] = useState<string | null>(null);
  if (!found.data) return <NotYet title="Prepared queries" what="Reading the queries" error={found.error} />;
  const shown = found.data.filter((one) => `${one.name} ${one.title}`.toLowerCase().includes(search.toLowerCase()));
  return (
    <Page
      title="Prepared queries"
      aside={
        <>
          {found.data.length > 0 && (
            <input
              className="input input-sm w-56"
              type="search"
              aria-label="Search queries"
              placeholder="Search by name or title"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
          )}
          {mayBuild && open !== "" && (
            <button type="button" className="btn btn-primary btn-sm ml-auto" onClick={() => setOpen("")}>
              Prepare a query
            </button>
          )}
        </>
      }
    >
      {open === "" && <Editor project={project} item={null} readOnly={!mayBuild} onDone={(name) => setOpen(name)} />}
      {found.data.length === 0 && open !== "" && (
        <Empty title="No query is prepared yet">
          A query text that several operations use: kept once, with typed variables, in GraphQL or in a service's own
          language. Values are placed by the language's rules, so that a quote mark in them breaks nothing.
        </Empty>
      )}
      <ul>
        {shown.map((one) => (
          <li key={one.id} className="border-t border-base-300 py-3">
            <button
              type="button"
              className="flex w-full cursor-pointer flex-wrap items-baseline gap-x-3 text-left"
              aria-expanded={open === one.name}
              onClick={() => setOpen(open === one.name ? null : one.name)}
            >
              <span className="font-medium">{one.title || one.name}</span>
              <span className="font-mono text-xs opacity-75">{one.name}</span>
              <Tag>
                {one.document.language === "other"
                  ? "the service's own language"
                  : `GraphQL ${one.document.kind ?? "query"}`}
              </Tag>
              {one.problems.length > 0 && <Tag tone="bad">not ready</Tag>}
              <span className="text-xs opacity-75">
                version {one.version}, {one.used_by.length ? `used by ${one.used_by.length}` : "used by nothing yet"}
              </span>
            </button>
            {open === one.name && (
              <Editor key={one.version} project={project} item={one} readOnly={!mayBuild} onDone={() => undefined} />
            )}
          </li>
        ))}
      </ul>
      {found.data.length > 0 && shown.length === 0 && (
        <p className="text-sm opacity-80">Nothing is called like that.</p>
      )}
    </Page>
  );
}

function Editor({
  project,
  item,
  readOnly,
  onDone,
}: {
  project: string;
  item: Query | null;
  readOnly: boolean;
  onDone: (name: string) => void;
}) {
  const [title, setTitle] = useState(item?.title ?? "");
  const [document, setDocument] = useState<QueryDocument>(
    item?.document ?? { language: "other", literals: "doubled", content: "" },
  );
  const save = useSaveQuery(project);
  const named = useName(project, "prepared query", item ? "" : title);
  const set = (change: Partial<QueryDocument>) => setDocument({ ...document, ...change });
  const variables = document.variables ?? [];
  const isOther = document.language === "other";
  const change = (at: number, part: Partial<Variable>) =>
    set({ variables: variables.map((one, number) => (number === at ? { ...one, ...part } : one)) });
  const [fresh, setFresh] = useState("");
  return (
    <fieldset disabled={readOnly} className="mt-3 mb-2 max-w-3xl rounded-box border border-base-300 p-3">
      <div className="grid gap-x-4 sm:grid-cols-2">
        <Field label="What it is called" hint={item ? item.name : named.words}>
          {(id) => (
            <input id={id} className="input input-sm w-full" value={title} onChange={(e) => setTitle(e.target.value)} />
          )}
        </Field>
        <Field label="Language">
          {(id) => (
            <select
              id={id}
              className="select select-sm w-full"
              value={document.language ?? "graphql"}
              onChange={(e) => set({ language: e.target.value as QueryDocument["language"] })}
            >
              <option value="graphql">GraphQL</option>
              <option value="other">the service's own</option>
            </select>
          )}
        </Field>
      </div>
      {isOther && (
        <Field
          label="Texts are written"
          hint="how a value becomes a literal of the language; nothing is ever glued into the text"
        >
          {(id) => (
            <select
              id={id}
              className="select select-sm w-full"
              value={document.literals ?? "doubled"}
              onChange={(e) => set({ literals: e.target.value as QueryDocument["literals"] })}
            >
              {Object.entries(LITERALS).map(([value, words]) => (
                <option key={value} value={value}>
                  {words}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      <Heading>Variables</Heading>
      {variables.map((one, number) => (
        <div key={one.name} className="mb-1 flex flex-wrap items-center gap-2 text-xs">
          <span className="w-28 truncate font-mono">{one.name}</span>
          <TypeSelect
            label={`type of ${one.name}`}
            value={one.type ?? "text"}
            onType={(type) => change(number, { type })}
          />
          <label className="flex items-center gap-1">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={one.required ?? false}
              onChange={(e) => change(number, { required: e.target.checked })}
            />{" "}
            required
          </label>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label={`take away ${one.name}`}
            onClick={() => set({ variables: variables.filter((_, at) => at !== number) })}
          >
            <Trash2 className="size-3.5" aria-hidden />
          </button>
        </div>
      ))}
      <form
        className="mb-3 flex gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          if (fresh && !variables.some((one) => one.name === fresh))
            set({ variables: [...variables, { name: fresh }] });
          setFresh("");
        }}
      >
        <input
          className="input input-xs w-40"
          aria-label="Name of a variable"
          placeholder="name of a variable"
          value={fresh}
          onChange={(e) => setFresh(e.target.value)}
        />
        <button className="btn btn-ghost btn-xs" disabled={!/^[A-Za-z][A-Za-z0-9_-]*$/.test(fresh)}>
          add
        </button>
      </form>
      <Heading>Text</Heading>
      {isOther ? (
        <TextParts
          label="the query"
          value={document.content ?? ""}
          inputs={variables}
          standing={[]}
          onChange={(content) => set({ content })}
        />
      ) : (
        <textarea
          className="textarea w-full font-mono text-xs"
          aria-label="Text of the query"
          rows={8}
          spellCheck={false}
          value={document.query ?? ""}
          onChange={(e) =>
            set({ query: e.target.value, kind: /^\s*mutation\b/m.test(e.target.value) ? "mutation" : "query" })
          }
        />
      )}
      {item?.problems.map((one) => (
        <p key={one.where + one.message} className="mt-1 border-l-2 border-warning pl-2 text-xs">
          {one.message}. <span className="opacity-80">{one.hint}</span>
        </p>
      ))}
      {item && item.used_by.length > 0 && (
        <p className="mt-2 text-xs">
          Used by{" "}
          {item.used_by.map((name, number) => (
            <span key={name}>
              {number > 0 && ", "}
              <Link className="link" to={`../operations/${name}`}>
                {name}
              </Link>
            </span>
          ))}
          : a change is seen by all of them at once.
        </p>
      )}
      {item && (
        <p className="mt-2 text-xs">
          It is{" "}
          <UsedBy
            item={{
              project,
              kind: "queries",
              word: "prepared query",
              name: item.name,
              version: item.version,
              after: "queries",
            }}
          />
          .
        </p>
      )}
      <ProblemAlert error={save.error} />
      <button
        type="button"
        className="btn btn-primary btn-sm mt-3"
        disabled={
          save.isPending ||
          !(item || named.name) ||
          (item !== null && title === item.title && JSON.stringify(document) === JSON.stringify(item.document))
        }
        onClick={() =>
          save.mutate(
            { item, name: item?.name ?? named.name, title, document },
            { onSuccess: (made) => onDone(made.name) },
          )
        }
      >
        {save.isPending ? "Keeping" : item ? "Change it for all that use it" : "Keep it"}
      </button>
    </fieldset>
  );
}
