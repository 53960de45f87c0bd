import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { answer, api, Problem, type Schemas } from "../../api/client";
import { written } from "../../ui/json/format";
import JsonEditor from "../../ui/json/JsonEditor";
import { openFields, rulesOf, type Plan } from "./plan";
import { fromRow, isCounterpart, sourceOf } from "./paths";
import { useBench, usePlan, usePointing } from "./context";

const RULE = /^\/outputs\/0\/fields\/(\d+)(?:\/(\w+))?/;

/**
 * The mapping document itself. What is changed here shows in the list and the records, and the other way round; a text
 * that is not a mapping stays until it is one.
 */
export default function MappingText({ firstRow }: { firstRow: Schemas["MappedRow"] | undefined }) {
  const { project, lines, mayBuild, preview } = useBench();
  const { plan, setPlan } = usePlan();
  const { lit, point } = usePointing();
  const schema = useQuery({
    queryKey: ["document-schema", project, "mappings"],
    staleTime: Infinity,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/document-schemas/{kind}", {
          params: { path: { project, kind: "mappings" } },
        }),
      ),
  });
  const [own, setOwn] = useState({ text: written(plan.mapping), mapping: JSON.stringify(plan.mapping), problem: "" });
  const outside = JSON.stringify(plan.mapping);
  if (own.mapping !== outside) setOwn({ text: written(plan.mapping), mapping: outside, problem: "" });
  const change = (text: string) => {
    try {
      const mapping = JSON.parse(text) as Plan["mapping"];
      const first = mapping.outputs?.[0]?.record_type;
      if (!Array.isArray(mapping.outputs) || !first) throw new Error("outputs names no record type");
      setOwn({ text, mapping: JSON.stringify(mapping), problem: "" });
      setPlan({ ...plan, mapping, typeName: first });
    } catch (error) {
      setOwn((before) => ({ ...before, text, problem: (error as Error).message }));
    }
  };

  const placeOf = (name: string | undefined) => firstRow?.fields.find((one) => one.field === name)?.pointer ?? null;
  const rules = rulesOf(plan);
  const litRule = rules.findIndex((one) => isCounterpart(lit, placeOf(one.name)));
  const problems = useMemo(() => {
    const found = preview.error instanceof Problem ? preview.error.document : undefined;
    return (
      found ? (found.problems.length ? found.problems : [{ where: found.where, message: found.detail }]) : []
    ).map((one) => ({ where: one.where.replace(/^\/mapping(?=\/|$)/, ""), message: one.message }));
  }, [preview.error]);

  /** What is known of the texts at a place: the values of a row, and fields that nothing fills yet. */
  const known = (pointer: string) => {
    const member = RULE.exec(pointer)?.[2];
    if (member === "name")
      return openFields(plan).map((one) => ({ text: one.name, detail: `${one.type}, not filled yet` }));
    if (member !== "from" && member !== "unit") return [];
    return lines.flatMap((one) => {
      const source = one.type ? sourceOf(fromRow(one.path, plan.rows) ?? "$") : "";
      return typeof source === "string" && source
        ? [{ text: source, detail: [one.type, one.examples[0]].filter(Boolean).join(" ") }]
        : [];
    });
  };
  return (
    <div className="mt-1">
      <JsonEditor
        label="The mapping as text"
        text={own.text}
        readOnly={!mayBuild}
        completion={{ schema: schema.data, known }}
        problems={problems}
        lit={litRule < 0 ? null : `/outputs/0/fields/${litRule}`}
        onText={change}
        onPoint={(pointer) => point(placeOf(rules[Number(RULE.exec(pointer ?? "")?.[1] ?? -1)]?.name))}
      />
      {own.problem && (
        <p role="status" className="mt-1 border-l-4 border-warning pl-2 text-xs">
          Not a mapping yet: {own.problem}. The records are those of the last one.
        </p>
      )}
      {mayBuild && <p className="mt-1 text-xs opacity-75">Ctrl+Space offers what may stand at the cursor.</p>}
    </div>
  );
}
