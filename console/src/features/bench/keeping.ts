/** What becomes of a response: proposed, looked at, saved, fed. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, answerIfThere, api, marked, type Schemas } from "../../api/client";
import { useMark } from "../../ui/mark";
import { everyItem } from "../../ui/pages";
import { samplesQuery, bodiesBeside } from "./responses";
import { namedAfter } from "./paths";
import { isSame, type Plan, type RecordTypeDocument } from "./plan";

export async function savedPlan(project: string, mappingName: string): Promise<Plan | null> {
  const mapping = await answerIfThere(
    api.GET("/api/v1/projects/{project}/mappings/{name}", { params: { path: { project, name: mappingName } } }),
  );
  const output = mapping?.whole.outputs?.[0];
  if (!mapping || !output) return null;
  const type = await answerIfThere(
    api.GET("/api/v1/projects/{project}/record-types/{name}", {
      params: { path: { project, name: output.record_type } },
    }),
  );
  if (!type) return null;
  const isXml = mapping.whole.format === "xml";
  const rows = (output.rows ?? []).map((level) =>
    typeof level.at !== "string"
      ? (level.at.jsonpath ?? level.at.xpath ?? "$")
      : isXml
        ? level.at
        : level.at === "[*]"
          ? "$[*]"
          : `$.${level.at}`,
  );
  const others = await Promise.all(
    (mapping.whole.outputs ?? []).slice(1).map((one) =>
      answer(
        api.GET("/api/v1/projects/{project}/record-types/{name}", {
          params: { path: { project, name: one.record_type } },
        }),
      ),
    ),
  );
  const notes = mapping.document.based_on
    ? [`It is based on the mapping ${mapping.document.based_on}: saved here, it keeps all of it as its own.`]
    : [];
  const linked = Object.fromEntries(others.map((one) => [one.name, one.document]));
  const isShared = type.used_by.some((one) => one.kind === "mapping" && one.name !== mappingName);
  return {
    rows,
    typeName: output.record_type,
    mappingName,
    recordType: type.document,
    mapping: mapping.whole,
    notes,
    linked,
    parts: [],
    proposed: {},
    unsure: [],
    isShared,
  };
}

/**
 * What the rows could become, by the response and the samples; by the response alone where a sample has no such rows.
 */
export function usePropose(project: string, operation: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async ({
      body,
      format,
      rows,
      corrections,
      mappingName,
      path,
      onto,
    }: {
      body: string;
      format: string | undefined;
      rows: string[];
      corrections: Schemas["Correction"][];
      mappingName: string;
      path: string;
      onto: string;
    }): Promise<Plan> => {
      const typeName = onto || namedAfter(rows[rows.length - 1] ?? "$", path);
      const ask = (bodies: string[]) =>
        answer(
          api.POST("/api/v1/projects/{project}/proposals", {
            params: { path: { project } },
            body: { bodies, rows, name: typeName, corrections, onto: onto !== "" },
          }),
        );
      const samples = bodiesBeside(
        body,
        format,
        operation ? await cache.ensureQueryData(samplesQuery(project, operation)) : [],
      );
      const made = await (samples.length ? ask([body, ...samples]).catch(() => ask([body])) : ask([body]));
      const proposed = Object.fromEntries(made.pairs.map((one) => [one.field, one.reason]));
      const unsure = made.pairs.filter((one) => !one.is_sure).map((one) => one.field);
      return {
        rows,
        typeName,
        mappingName,
        recordType: made.record_type,
        mapping: made.mapping,
        notes: onto ? [] : made.notes,
        linked: {},
        parts: made.parts,
        proposed,
        unsure,
        isShared: onto !== "",
      };
    },
  });
}

/**
 * What the plan makes of a response. While the plan is one that cannot work, what it made before the change is still
 * there, beside the error.
 */
export function usePreview(project: string, body: string | null, plan: Plan | null, inputs: Record<string, unknown>) {
  const cache = useQueryClient();
  const found = useQuery({
    queryKey: ["preview", project, body, plan?.mapping, plan?.recordType, plan?.typeName, plan?.linked, inputs],
    enabled: body !== null && plan !== null,
    staleTime: Infinity,
    retry: false,
    placeholderData: (last) => last,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/previews", {
          params: { path: { project } },
          body: {
            body: body!,
            mapping: plan!.mapping,
            record_types: { [plan!.typeName]: plan!.recordType, ...plan!.linked },
            inputs,
          },
        }),
      ),
  });
  const before = () =>
    cache
      .getQueryCache()
      .findAll({ queryKey: ["preview", project, body] })
      .sort((one, other) => other.state.dataUpdatedAt - one.state.dataUpdatedAt)[0]?.state.data;
  return { shown: found.data ?? (before() as Schemas["PreviewShown"] | undefined), error: found.error };
}

/** Saves the record type and the mapping, over what is there. */
export function useSavePlan(project: string) {
  const cache = useQueryClient();
  return useMutation({
    onSuccess: () => {
      for (const key of ["record-types", "mapping"]) void cache.invalidateQueries({ queryKey: [key, project] });
    },
    mutationFn: async ({ plan, service }: { plan: Plan; service: string }) => {
      const path = { project };
      for (const [name, document] of [[plan.typeName, plan.recordType], ...Object.entries(plan.linked)] as [
        string,
        RecordTypeDocument,
      ][]) {
        const type = await answerIfThere(
          api.GET("/api/v1/projects/{project}/record-types/{name}", { params: { path: { project, name } } }),
        );
        if (type && isSame(type.document, document)) continue;
        await (type
          ? answer(
              api.PATCH("/api/v1/projects/{project}/record-types/{name}", {
                params: { path: { project, name }, header: { "If-Match": `"${type.version}"` } },
                body: { document },
              }),
            )
          : answer(
              api.POST("/api/v1/projects/{project}/record-types", { params: { path }, body: { name, document } }),
            ));
      }
      const mapping = await answerIfThere(
        api.GET("/api/v1/projects/{project}/mappings/{name}", {
          params: { path: { project, name: plan.mappingName } },
        }),
      );
      return mapping
        ? answer(
            api.PATCH("/api/v1/projects/{project}/mappings/{name}", {
              params: { path: { project, name: plan.mappingName }, header: { "If-Match": `"${mapping.version}"` } },
              body: { document: plan.mapping },
            }),
          )
        : answer(
            api.POST("/api/v1/projects/{project}/mappings", {
              params: { path },
              body: { name: plan.mappingName, service, document: plan.mapping },
            }),
          );
    },
  });
}

export function useMakeFeed(project: string) {
  const mark = useMark();
  return useMutation({
    onSettled: mark.settle,
    mutationFn: async (body: {
      name: string;
      operation: string;
      mapping: string;
      environment: string;
      document: Schemas["FeedDocument"];
    }) => {
      const path = { project };
      const { name, ...content } = body;
      const known = await answerIfThere(
        api.GET("/api/v1/projects/{project}/feeds/{name}", { params: { path: { project, name } } }),
      );
      await (known
        ? answer(
            api.PATCH("/api/v1/projects/{project}/feeds/{name}", {
              params: { path: { project, name }, header: { "If-Match": `"${known.version}"` } },
              body: content,
            }),
          )
        : answer(api.POST("/api/v1/projects/{project}/feeds", { params: { path }, body })));
      return answer(
        api.POST("/api/v1/projects/{project}/feeds/{name}/runs", {
          params: { path: { project, name }, header: marked(mark.of(body.name)) },
          body: { inputs: {} },
        }),
      );
    },
  });
}

export function useRecordTypes(project: string) {
  return useQuery({
    queryKey: ["record-types", project, "alone"],
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/record-types", { params: { path: { project }, query: page } })),
      ),
  });
}

/** Fields of a kept record type whose unit is changed, from what and to what. */
export function useChangedUnits(project: string, plan: Plan): { name: string; from: string; to: string }[] {
  const known = useRecordTypes(project).data?.find((one) => one.name === plan.typeName)?.document.fields ?? [];
  return known.flatMap((one) => {
    const now = plan.recordType.fields?.find((other) => other.name === one.name);
    return now && (now.unit ?? "") !== (one.unit ?? "")
      ? [{ name: one.name, from: one.unit || "no unit", to: now.unit || "no unit" }]
      : [];
  });
}

/** What else saving the plan reaches: users of the record type, if it is changed, and of the mapping. */
export function useReach(project: string, plan: Plan): { what: string; users: Schemas["UseItem"][] }[] {
  const type = useRecordTypes(project).data?.find((one) => one.name === plan.typeName);
  const mapping = useQuery({
    queryKey: ["mapping", project, plan.mappingName],
    queryFn: () =>
      answerIfThere(
        api.GET("/api/v1/projects/{project}/mappings/{name}", {
          params: { path: { project, name: plan.mappingName } },
        }),
      ),
  }).data;
  const ofType =
    type && !isSame(type.document, plan.recordType) ? type.used_by.filter((one) => one.name !== plan.mappingName) : [];
  const ofMapping = mapping && !isSame(mapping.document, plan.mapping) ? mapping.used_by : [];
  return [
    { what: `record type ${plan.typeName}`, users: ofType },
    { what: `mapping ${plan.mappingName}`, users: ofMapping },
  ].filter((one) => one.users.length > 0);
}
