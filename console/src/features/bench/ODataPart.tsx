import { useQuery } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { answer, api } from "../../api/client";
import type { Input, OperationDocument } from "./bench";

type Query = NonNullable<OperationDocument["odata"]>;
type Condition = NonNullable<Query["filter"]>[number];
type Schema = {
  type?: string | string[];
  $ref?: string;
  items?: Schema;
  properties?: Record<string, Schema>;
  "x-navigation"?: boolean;
  "x-type"?: string;
};
type Members = [string, Schema][];
type Put = (part: Partial<Query>, more?: Input[]) => void;

const WORDS: Record<NonNullable<Condition["operator"]>, string> = {
  eq: "is",
  ne: "is not",
  gt: "is above",
  ge: "is at least",
  lt: "is below",
  le: "is at most",
  contains: "contains",
  startswith: "begins with",
  endswith: "ends with",
  in: "is one of",
  has: "has",
};

/**
 * What an OData request asks for: fields, conditions, order and what comes along, chosen from the service's own schema.
 */
export function ODataPart({
  project,
  document,
  onDocument,
}: {
  project: string;
  document: OperationDocument;
  onDocument: (document: OperationDocument) => void;
}) {
  const schemas = useSchemas(project, document.came_from?.definition ?? "");
  if (!document.odata || (document.method ?? "GET") !== "GET") return null;
  const query = document.odata;
  const put: Put = (part, more = []) =>
    onDocument({ ...document, odata: { ...query, ...part }, inputs: [...(document.inputs ?? []), ...more] });
  const members: Members = Object.entries(opened(rowOf(document), schemas)?.properties ?? {});
  const plain = members.filter(([, one]) => !one["x-navigation"]);
  return (
    <fieldset className="mb-3 min-w-0 text-xs">
      <legend className="mb-1 text-sm font-medium">OData {query.version ?? "4.0"}</legend>
      {members.length === 0 && (
        <p className="mb-2 opacity-75">
          The definition says nothing of its fields; import its $metadata to choose them.
        </p>
      )}
      <Fields chosen={query.select ?? []} plain={plain} onChosen={(select) => put({ select })} />
      <Conditions filter={query.filter ?? []} plain={plain} inputs={document.inputs ?? []} put={put} />
      <Order order={query.order ?? []} plain={plain} put={put} />
      <Along
        expand={query.expand ?? []}
        navigation={members.filter(([, one]) => one["x-navigation"])}
        schemas={schemas}
        put={put}
      />
      <label className="mt-2 flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={query.count ?? false}
          onChange={(e) => put({ count: e.target.checked })}
        />{" "}
        ask for the total too
      </label>
    </fieldset>
  );
}

const toggled = (list: string[], name: string) =>
  list.includes(name) ? list.filter((one) => one !== name) : [...list, name];

function Fields({
  chosen,
  plain,
  onChosen,
}: {
  chosen: string[];
  plain: Members;
  onChosen: (names: string[]) => void;
}) {
  if (plain.length === 0) return null;
  return (
    <details className="mb-2" open={chosen.length > 0}>
      <summary className="cursor-pointer">Fields: {chosen.length ? chosen.join(", ") : "all"}</summary>
      <div className="mt-1 grid grid-cols-2 gap-x-3 pl-3">
        {plain.map(([name]) => (
          <label key={name} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={chosen.includes(name)}
              onChange={() => onChosen(toggled(chosen, name))}
            />{" "}
            {name}
          </label>
        ))}
      </div>
    </details>
  );
}

function Conditions({
  filter,
  plain,
  inputs,
  put,
}: {
  filter: Condition[];
  plain: Members;
  inputs: Input[];
  put: Put;
}) {
  const change = (at: number, part: Partial<Condition>, more: Input[] = []) =>
    put({ filter: filter.map((one, number) => (number === at ? { ...one, ...part } : one)) }, more);
  const typeOf = (name: string) => Object.fromEntries(plain)[name]?.["x-type"] ?? "Edm.String";
  return (
    <div className="mb-2">
      {filter.length > 0 && <p>Only where</p>}
      {filter.map((one, number) => {
        const input =
          typeof one.value === "object" && one.value !== null && "input" in one.value ? one.value.input : null;
        const label = `condition ${number + 1}`;
        return (
          <div key={number} className="mb-1 flex flex-wrap items-center gap-1">
            <select
              className="select select-xs w-28"
              aria-label={`property of ${label}`}
              value={one.property}
              onChange={(e) => change(number, { property: e.target.value, type: typeOf(e.target.value) })}
            >
              {!plain.some(([name]) => name === one.property) && <option>{one.property}</option>}
              {plain.map(([name]) => (
                <option key={name}>{name}</option>
              ))}
            </select>
            <select
              className="select select-xs w-24"
              aria-label={`comparison of ${label}`}
              value={one.operator ?? "eq"}
              onChange={(e) => change(number, { operator: e.target.value as Condition["operator"] })}
            >
              {Object.entries(WORDS).map(([operator, words]) => (
                <option key={operator} value={operator}>
                  {words}
                </option>
              ))}
            </select>
            {input ? (
              <span className="rounded-selector bg-accent/12 px-1.5 py-0.5 text-accent">input {input}</span>
            ) : (
              <input
                className="input input-xs w-24 font-mono"
                aria-label={`value of ${label}`}
                value={typeof one.value === "string" ? one.value : ""}
                onChange={(e) => change(number, { value: e.target.value })}
              />
            )}
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              onClick={() => {
                if (input) return change(number, { value: "" });
                const name = one.property.replace(/[^A-Za-z0-9_]/g, "_");
                change(
                  number,
                  { value: { input: name } },
                  inputs.some((other) => other.name === name)
                    ? []
                    : [{ name, type: inputType(one.type ?? "Edm.String") }],
                );
              }}
            >
              {input ? "fix it" : "make it an input"}
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              aria-label={`take away ${label}`}
              onClick={() => put({ filter: filter.filter((_, at) => at !== number) })}
            >
              <Trash2 className="size-3.5" aria-hidden />
            </button>
          </div>
        );
      })}
      {plain.length > 0 && (
        <select
          className="select select-xs w-44"
          aria-label="Add a condition"
          value=""
          onChange={(e) =>
            e.target.value &&
            put({ filter: [...filter, { property: e.target.value, type: typeOf(e.target.value), value: "" }] })
          }
        >
          <option value="">add a condition on</option>
          {plain.map(([name]) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
    </div>
  );
}

function Order({ order, plain, put }: { order: NonNullable<Query["order"]>; plain: Members; put: Put }) {
  const turn = (at: number) =>
    put({
      order: order[at]?.is_descending
        ? order.filter((_, number) => number !== at)
        : order.map((one, number) => (number === at ? { ...one, is_descending: true } : one)),
    });
  return (
    <div className="mb-2 flex flex-wrap items-center gap-1">
      {order.length > 0 && "In the order of"}
      {order.map((one, number) => (
        <button
          key={one.property}
          type="button"
          className="btn btn-xs"
          title="turn it round; again to take it away"
          onClick={() => turn(number)}
        >
          {one.property} {one.is_descending ? "↓" : "↑"}
        </button>
      ))}
      {plain.length > 0 && (
        <select
          className="select select-xs w-44"
          aria-label="Add to the order"
          value=""
          onChange={(e) => e.target.value && put({ order: [...order, { property: e.target.value }] })}
        >
          <option value="">{order.length ? "then by" : "order by"}</option>
          {plain
            .filter(([name]) => !order.some((one) => one.property === name))
            .map(([name]) => (
              <option key={name}>{name}</option>
            ))}
        </select>
      )}
    </div>
  );
}

function Along({
  expand,
  navigation,
  schemas,
  put,
}: {
  expand: NonNullable<Query["expand"]>;
  navigation: Members;
  schemas: Record<string, Schema>;
  put: Put;
}) {
  if (navigation.length === 0) return null;
  return (
    <>
      <p>Comes along</p>
      {navigation.map(([name, one]) => {
        const chosen = expand.find((other) => other.property === name);
        const inner = Object.entries(opened(one.items ?? one, schemas)?.properties ?? {}).filter(
          ([, each]) => !each["x-navigation"],
        );
        const parts = chosen?.select ?? [];
        return (
          <div key={name}>
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={chosen !== undefined}
                onChange={() =>
                  put({ expand: chosen ? expand.filter((other) => other !== chosen) : [...expand, { property: name }] })
                }
              />{" "}
              {name} <span className="opacity-75">{one.items ? "several" : "one"}</span>
            </label>
            {chosen && (
              <div className="grid grid-cols-2 gap-x-3 pl-6">
                {inner.map(([part]) => (
                  <label key={part} className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs"
                      aria-label={`${part} of ${name}`}
                      checked={parts.includes(part)}
                      onChange={() =>
                        put({
                          expand: expand.map((other) =>
                            other === chosen ? { ...chosen, select: toggled(parts, part) } : other,
                          ),
                        })
                      }
                    />{" "}
                    {part}
                  </label>
                ))}
              </div>
            )}
          </div>
        );
      })}
    </>
  );
}

function useSchemas(project: string, definition: string): Record<string, Schema> {
  const found = useQuery({
    queryKey: ["schemas", project, definition],
    enabled: definition !== "",
    staleTime: Infinity,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/definitions/{name}/schemas", {
          params: { path: { project, name: definition } },
        }),
      ),
  });
  return (found.data?.defs as Record<string, Schema> | undefined) ?? {};
}

/** The schema of one row of an OData answer: of an element of `value`, of `d.results`, or of the whole. */
function rowOf(document: OperationDocument): Schema | undefined {
  const good = (document.responses ?? []).find(
    (one) => one.status.startsWith("2") && typeof one.schema === "object" && one.schema !== null,
  );
  const schema = good?.schema as Schema | undefined;
  const inner = schema?.properties?.d ?? schema;
  return inner?.properties?.results?.items ?? inner?.properties?.value?.items ?? inner;
}

function opened(schema: Schema | undefined, schemas: Record<string, Schema>): Schema | undefined {
  return schema?.$ref ? schemas[schema.$ref.replace("#/$defs/", "")] : schema;
}

function inputType(edm: string): Input["type"] {
  if (/Int|Byte/.test(edm)) return "integer";
  if (/Decimal|Double|Single/.test(edm)) return "decimal";
  return (
    ({ "Edm.Boolean": "boolean", "Edm.Date": "date", "Edm.DateTimeOffset": "datetime" } as const)[edm as "Edm.Date"] ??
    "text"
  );
}
