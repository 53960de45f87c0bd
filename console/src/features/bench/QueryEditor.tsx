import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { askFields, type Input } from "./bench";
import { type Body, type Named, Parameters } from "./Parameters";
import { PreparedPart } from "./PreparedPart";

const QueryText = lazy(() => import("./QueryText"));
const NO_PROBLEMS: { where: string; message: string }[] = [];

type GraphQLBody = Extract<Body, { type: "graphql" }>;

interface Props {
  project: string;
  body: GraphQLBody;
  definition: string;
  inputs: Input[];
  standing: string[];
  onBody: (body: Body, more?: Input[]) => void;
}

/** A GraphQL query: written, or composed by taking fields from the schema; its variables are filled from inputs. */
export function QueryEditor({ project, body, definition, inputs, standing, onBody }: Props) {
  const query = body.query ?? "";
  const checked = useFields(project, definition, query, [], null);
  const choose = async (change: { take?: string[]; leave?: string[] }) => {
    const found = await askFields(project, definition, { query, path: [], ...change });
    onBody({ ...body, query: found.query });
  };
  return (
    <div className="text-xs">
      <PreparedPart project={project} body={body} inputs={inputs} onBody={onBody} />
      {!body.prepared && (
        <Suspense fallback={<Waiting what="Opening the editor" />}>
          <QueryText
            project={project}
            definition={definition}
            query={query}
            problems={checked.data?.problems ?? NO_PROBLEMS}
            onQuery={(query) => onBody({ ...body, query, kind: /^\s*mutation\b/.test(query) ? "mutation" : "query" })}
          />
        </Suspense>
      )}
      {definition && !body.prepared && (
        <>
          {/* its place is there before the answer is: nothing below may move under a pointer */}
          <p className="mb-1 h-4 truncate opacity-80">
            {checked.data
              ? `${checked.data.count} fields, ${checked.data.depth} deep, up to ${checked.data.cost.toLocaleString()} values`
              : checked.error
                ? "it could not be checked"
                : query.trim()
                  ? "checking the query"
                  : "no query yet"}
          </p>
          <details>
            <summary className="cursor-pointer">Take fields from the schema</summary>
            <Branch
              project={project}
              definition={definition}
              query={query}
              path={[]}
              onTake={(take) => void choose({ take })}
              onLeave={(leave) => void choose({ leave })}
            />
          </details>
          <ProblemAlert error={checked.error} />
          {checked.data?.problems.map((one) => (
            <p key={one.where + one.message} className="mb-1 border-l-2 border-error pl-2">
              {one.message} <span className="opacity-75">{one.where.replace("/body/query, ", "")}</span>
            </p>
          ))}
        </>
      )}
      <Parameters
        title="Variables"
        word="a variable"
        inputs={inputs}
        standing={standing}
        begun={(name): Named => ({ name })}
        list={(body.variables ?? []).map(({ at, ...rest }) => ({ name: at.slice(1), ...rest }))}
        onChange={(variables, more) =>
          onBody({ ...body, variables: variables.map(({ name, ...rest }) => ({ at: `/${name}`, ...rest })) }, more)
        }
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={body.one_line ?? false}
          onChange={(e) => onBody({ ...body, one_line: e.target.checked })}
        />{" "}
        send it on one line, for services that refuse line breaks
      </label>
    </div>
  );
}

/** The fields at one place of the query, taken or not; those with fields of their own open. */
function Branch({
  project,
  definition,
  query,
  path,
  onTake,
  onLeave,
}: {
  project: string;
  definition: string;
  query: string;
  path: string[];
  onTake: (path: string[]) => void;
  onLeave: (path: string[]) => void;
}) {
  const found = useFields(project, definition, query, path, query);
  const [open, setOpen] = useState<string | null>(null);
  if (!found.data) return <ProblemAlert error={found.error} />;
  return (
    <ul className={path.length ? "border-l border-base-300 pl-3" : "mt-1 mb-2"}>
      {found.data.fields.map((one) => {
        const here = [...path, one.name];
        return (
          <li key={one.name}>
            <label className="flex items-baseline gap-2" title={one.description}>
              <input
                type="checkbox"
                className="checkbox checkbox-xs translate-y-0.5"
                aria-label={here.join(".")}
                checked={one.is_taken}
                onChange={() => (one.is_taken ? onLeave(here) : onTake(here))}
              />
              <span className="font-mono">{one.name}</span> <span className="opacity-75">{one.type}</span>
              {one.has_fields && one.is_taken && (
                <button
                  type="button"
                  className="link"
                  aria-expanded={open === one.name}
                  onClick={() => setOpen(open === one.name ? null : one.name)}
                >
                  {open === one.name ? "close" : "its fields"}
                </button>
              )}
            </label>
            {open === one.name && one.is_taken && (
              <Branch
                project={project}
                definition={definition}
                query={query}
                path={here}
                onTake={onTake}
                onLeave={onLeave}
              />
            )}
          </li>
        );
      })}
    </ul>
  );
}

function useFields(project: string, definition: string, query: string, path: string[], key: string | null) {
  return useQuery({
    queryKey: ["graphql-fields", project, definition, query, path, key],
    enabled: definition !== "" && query.trim() !== "",
    retry: false,
    staleTime: Infinity,
    placeholderData: (before) => before,
    queryFn: () => askFields(project, definition, { query, path }),
  });
}
