import { hashKey, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { answer, api, marked, type Schemas } from "../../api/client";
import { useMark } from "../../ui/mark";
import { fieldName, namedAfter, pathOf, sourceOf } from "./paths";

export type OperationDocument = Schemas["OperationDocument"];
export type RecordTypeDocument = Schemas["RecordTypeDocument"];
export type MappingDocument = Schemas["MappingDocument"];
export type FieldType = NonNullable<RecordTypeDocument["fields"]>[number]["type"];
export type Trial = Omit<Schemas["TrialShown"], "run"> & { run: number };
export type Parameter = NonNullable<OperationDocument["query"]>[number];
export type Input = NonNullable<OperationDocument["inputs"]>[number];

/** Whether sending it changes nothing at the service: by its method, or as a GraphQL query. */
export function isReading(document: OperationDocument): boolean {
  if (document.body?.type === "graphql") return (document.body.kind ?? "query") === "query";
  if (document.body?.type === "soap") return document.body.reads ?? false;
  return ["GET", "HEAD", "OPTIONS"].includes(document.method ?? "GET");
}

export const FIELD_TYPES: FieldType[] = ["text", "integer", "decimal", "boolean", "date", "datetime", "json"];

/** What is being made of the response: where the rows are, and the two documents. */
export interface Plan {
  rows: string[];
  typeName: string;
  mappingName: string;
  recordType: RecordTypeDocument;
  mapping: MappingDocument;
  notes: string[];
  /** Record types of the mapping's other outputs, by name. */
  linked: Record<string, RecordTypeDocument>;
  /** Fields whose source was found by likeness, and by what; until someone confirms them or saves. */
  proposed: Record<string, string>;
  /** Whether other mappings fill the record type too: its fields stay when this one leaves them out. */
  /** Those of them that are saved only after someone confirmed them. */
  unsure: string[];
  isShared: boolean;
  /** Lists in a row that could become records of their own. */
  parts: Schemas["ProposedPartShown"][];
}

/** The saved operation with what belongs to it: its last trial, its mapping and record type. */
export function useOperation(project: string, name: string) {
  const isNew = name === "new";
  return useQuery({
    queryKey: ["operation", project, name],
    enabled: !isNew,
    gcTime: 0,
    queryFn: async () => {
      const path = { project, name };
      const [item, trials, feeds] = await Promise.all([
        answer(api.GET("/api/v1/projects/{project}/operations/{name}", { params: { path } })),
        answer(
          api.GET("/api/v1/projects/{project}/runs", {
            params: { path: { project }, query: { operation: name, kind: "trial", limit: 1 } },
          }),
        ),
        answer(
          api.GET("/api/v1/projects/{project}/feeds", {
            params: { path: { project }, query: { operation: name, limit: 1 } },
          }),
        ),
      ]);
      const mappingName = feeds.items[0]?.mapping ?? name;
      return { item, lastInputs: trials.items[0]?.inputs ?? {}, plan: await savedPlan(project, mappingName) };
    },
  });
}

async function savedPlan(project: string, mappingName: string): Promise<Plan | null> {
  const found = await answer(
    api.GET("/api/v1/projects/{project}/mappings", { params: { path: { project }, query: { q: mappingName } } }),
  );
  const mapping = found.items.find((one) => one.name === mappingName);
  const output = mapping?.whole.outputs?.[0];
  if (!mapping || !output) return null;
  const types = await answer(
    api.GET("/api/v1/projects/{project}/record-types", {
      params: { path: { project }, query: { q: output.record_type } },
    }),
  );
  const type = types.items.find((one) => one.name === output.record_type);
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
    (mapping.whole.outputs ?? [])
      .slice(1)
      .map((one) =>
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

/** A pasted address, request as HTTP text, or list of parameters, as an operation. */
export function usePasteParts(project: string, service: string, environment: string) {
  return useMutation({
    mutationFn: (text: string) =>
      answer(
        api.POST("/api/v1/projects/{project}/pastes", {
          params: { path: { project } },
          body: { text, part: "request", media_type: "", service, environment },
        }),
      ),
  });
}

/** A sample of a body, as a body with its inputs. A form is told by its look: name=value&name=value on one line. */
export function useBodyFromSample(project: string) {
  return useMutation({
    mutationFn: (text: string) =>
      answer(
        api.POST("/api/v1/projects/{project}/pastes", {
          params: { path: { project } },
          body: {
            text,
            part: "body",
            service: "",
            environment: "test",
            media_type: /^[^\s<{[=]+=[^\s]*$/.test(text.trim()) ? "application/x-www-form-urlencoded" : "",
          },
        }),
      ),
  });
}

/** The draft with another of the bodies that its service takes. */
export function useChosenBody(project: string) {
  return useMutation({
    mutationFn: ({ document, mediaType }: { document: OperationDocument; mediaType: string }) =>
      answer(
        api.POST("/api/v1/projects/{project}/body-choices", {
          params: { path: { project } },
          body: { document, media_type: mediaType },
        }),
      ),
  });
}

/** The draft with what was pasted: of a list of parameters the inputs that it has not yet, of anything else the whole. */
export function withPasted(document: OperationDocument, pasted: Schemas["PasteParts"]): OperationDocument {
  if (pasted.kind !== "parameters") return { ...document, ...pasted.operation };
  const inputs = (pasted.operation.inputs ?? []).filter(
    (one) => !document.inputs?.some((other) => other.name === one.name),
  );
  const query = (pasted.operation.query ?? []).filter(
    (one) => !document.query?.some((other) => other.name === one.name),
  );
  return { ...document, inputs: [...(document.inputs ?? []), ...inputs], query: [...(document.query ?? []), ...query] };
}

export function useCopyOperation(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ name, copy }: { name: string; copy: string }) =>
      answer(
        api.POST("/api/v1/projects/{project}/operations/{name}/copy", {
          params: { path: { project, name } },
          body: { name: copy },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["services", project] }),
  });
}

export type RecordGiven = NonNullable<Schemas["AskedRequest"]["record"]>;

export interface Asked {
  service: string;
  /** Fills inputs that are left empty. */
  record?: RecordGiven;
  /** In place of a service: the request goes there once, without a connection. */
  base_address: string;
  environment: string;
  document: OperationDocument;
  inputs: Record<string, unknown>;
}

/** The request as it would be sent, kept up to date while typing. */
export function useRequest(project: string, asked: Asked) {
  return useQuery({
    queryKey: ["request", project, asked],
    enabled: asked.service !== "" || asked.base_address !== "",
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/requests", {
          params: { path: { project } },
          body: { ...asked, confirmed: false },
        }),
      ),
  });
}

export function useTrial(project: string) {
  const mark = useMark();
  return useMutation({
    mutationFn: (
      asked: Asked & { operation?: string; confirmed: boolean; in_protected: boolean; empty_is_meant: boolean },
    ) =>
      answer(
        api.POST("/api/v1/projects/{project}/trials", {
          params: { path: { project }, header: marked(mark.of(asked)) },
          body: asked,
        }),
      ),
    onSettled: mark.settle,
  });
}

/** The schema of a response, refined by the samples; of the response alone where a sample cannot be read with it. */
export function useOutline(
  project: string,
  body: string | null,
  samples: string[],
  corrections: Schemas["Correction"][],
) {
  return useQuery({
    queryKey: ["outline", project, body, samples, corrections],
    enabled: body !== null,
    staleTime: Infinity,
    placeholderData: (before) => before,
    queryFn: async () => {
      const ask = async (bodies: string[]) => ({
        ...(await answer(
          api.POST("/api/v1/projects/{project}/outlines", {
            params: { path: { project } },
            body: { bodies, corrections },
          }),
        )),
        samples: bodies.length,
      });
      if (samples.length === 0) return ask([body!]);
      return ask([body!, ...samples]).catch(() => ask([body!]));
    },
  });
}

function samplesQuery(project: string, operation: string) {
  return queryOptions({
    queryKey: ["samples", project, operation],
    queryFn: async () =>
      (
        await answer(
          api.GET("/api/v1/projects/{project}/samples", { params: { path: { project }, query: { operation } } }),
        )
      ).items,
  });
}

/** The samples that are kept of an operation, in the order of their names. */
export function useSamplesOf(project: string, operation: string) {
  return useQuery({ ...samplesQuery(project, operation), enabled: operation !== "" }).data ?? [];
}

export type Sample = ReturnType<typeof useSamplesOf>[number];

/** The bodies of samples that can be read together with a response of this format. */
export function bodiesBeside(body: string | null, format: string | undefined, samples: Sample[]): string[] {
  const isXml = format === "xml" || /xml/.test(samples.find((one) => one.body === body)?.media_type ?? "");
  return samples
    .filter((one) => one.body !== body && /xml/.test(one.media_type) === isXml)
    .slice(0, 19)
    .map((one) => one.body);
}

/** What the rows could become, by the response and the samples; by the response alone where a sample has no such rows. */
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

/** What the plan makes of a response. While the plan is one that cannot work, what it made before the change is still there, beside the error. */
export function usePreview(project: string, body: string | null, plan: Plan | null, inputs: Record<string, unknown>) {
  const before = useRef<{ body: string | null; shown: Schemas["PreviewShown"] } | null>(null);
  const found = useQuery({
    queryKey: ["preview", project, body, plan?.mapping, plan?.recordType, plan?.typeName, plan?.linked],
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
  if (found.data) before.current = { body, shown: found.data };
  return {
    shown: found.data ?? (before.current?.body === body ? before.current.shown : undefined),
    error: found.error,
  };
}

export function useSaveOperation(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({
      name,
      version,
      ...content
    }: {
      name: string;
      version: number | null;
      title: string;
      service: string;
      document: OperationDocument;
    }) =>
      version === null
        ? answer(
            api.POST("/api/v1/projects/{project}/operations", {
              params: { path: { project } },
              body: { name, ...content },
            }),
          )
        : answer(
            api.PATCH("/api/v1/projects/{project}/operations/{name}", {
              params: { path: { project, name }, header: { "If-Match": `"${version}"` } },
              body: content,
            }),
          ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["services", project] }),
  });
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
        const types = await answer(
          api.GET("/api/v1/projects/{project}/record-types", { params: { path, query: { q: name } } }),
        );
        const type = types.items.find((one) => one.name === name);
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
      const mappings = await answer(
        api.GET("/api/v1/projects/{project}/mappings", { params: { path, query: { q: plan.mappingName } } }),
      );
      const mapping = mappings.items.find((one) => one.name === plan.mappingName);
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

/** Moves a fixed value that looks like a key out of the draft into the connection's credential. */
export function useMoveKey(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { service: string; environment: string; place: string; document: OperationDocument }) =>
      answer(api.POST("/api/v1/projects/{project}/moves", { params: { path: { project } }, body })),
    onSuccess: () => {
      for (const key of ["connection", "services", "request"])
        void cache.invalidateQueries({ queryKey: [key, project] });
    },
  });
}

/** Service, connection and operation of a one-off; gives the operation. */
export function useKeepTrial(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["KeepTrialGivenRequest"]) => {
      const made = await answer(
        api.POST("/api/v1/projects/{project}/trials/keep", { params: { path: { project } }, body }),
      );
      return answer(
        api.GET("/api/v1/projects/{project}/operations/{name}", {
          params: { path: { project, name: made.operation } },
        }),
      );
    },
    onSuccess: () => cache.invalidateQueries({ queryKey: ["services", project] }),
  });
}

export function useKeepSample(project: string) {
  const cache = useQueryClient();
  return useMutation({
    onSuccess: () => cache.invalidateQueries({ queryKey: ["samples", project] }),
    mutationFn: (body: { name: string; run: number; operation: string | null }) =>
      answer(api.POST("/api/v1/projects/{project}/samples", { params: { path: { project } }, body })),
  });
}

/** A response pasted in place of one that was sent: kept as a sample, and looked at like a trial's. */
export function usePasted(project: string) {
  const cache = useQueryClient();
  return useMutation({
    onSuccess: () => cache.invalidateQueries({ queryKey: ["samples", project] }),
    mutationFn: async ({
      name,
      content,
      operation,
    }: {
      name: string;
      content: string | File;
      operation: string | null;
    }): Promise<Trial> => {
      const given = typeof content === "string" ? { text: content } : { base64: await base64(content) };
      const kept = await answer(
        api.POST("/api/v1/projects/{project}/samples", {
          params: { path: { project } },
          body: { name, ...given, operation },
        }),
      );
      return lookedAt(
        project,
        kept.body,
        typeof content === "string" ? content.length : content.size,
        typeof content === "string" ? "Pasted" : content.name,
      );
    },
  });
}

function base64(file: File): Promise<string> {
  return new Promise((done, fail) => {
    const reader = new FileReader();
    reader.onload = () => done(String(reader.result).replace(/^[^,]*,/, ""));
    reader.onerror = () => fail(reader.error);
    reader.readAsDataURL(file);
  });
}

/** A kept sample in place of a response that was sent. */
export function useLookAt(project: string) {
  return useMutation({
    mutationFn: (sample: Sample) =>
      lookedAt(project, sample.body, sample.size, `Sample ${sample.title || sample.name}`),
  });
}

/** A stored response of a run's call, to be looked at like a trial's. */
export function asSource(call: Schemas["Call"], run: number): Trial {
  return {
    run,
    body: call.body,
    format: "",
    unreadable: "",
    row_choices: [],
    paging: [],
    described: "",
    differences: [],
    notes: [],
    outcome: { is_good: true, words: "", hint: "", message: "", kind: "good" as const },
    call: { ...call, reason: call.reason || `Call ${call.number} of run ${run}` },
  };
}

async function lookedAt(project: string, body: string, size: number, reason: string): Promise<Trial> {
  const outline = await answer(
    api.POST("/api/v1/projects/{project}/outlines", { params: { path: { project } }, body: { bodies: [body] } }),
  );
  const call = {
    number: 0,
    method: "",
    url: "",
    request: "",
    status: 0,
    reason,
    headers: [],
    size,
    timings: null,
    rows: null,
    error: null,
    purpose: "",
    via: "",
    by: "",
    operation: "",
    body,
    at: new Date().toISOString(),
  };
  return { ...asSource(call, 0), row_choices: outline.row_choices };
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
      const feeds = await answer(
        api.GET("/api/v1/projects/{project}/feeds", { params: { path, query: { q: body.name } } }),
      );
      const known = feeds.items.find((one) => one.name === body.name);
      const { name, ...content } = body;
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

// --- changes of a plan; each gives a new one

export type Conversion = NonNullable<Rule["convert"]>[number];
type Rule = NonNullable<NonNullable<MappingDocument["outputs"]>[number]["fields"]>[number];

export function rulesOf(plan: Plan): Rule[] {
  return plan.mapping.outputs?.[0]?.fields ?? [];
}

export function takenPaths(plan: Plan): Map<string, string> {
  return new Map(
    rulesOf(plan).flatMap((rule) => {
      const path = pathOf(rule.from, plan.mapping.format);
      return path ? [[path, rule.name] as const] : [];
    }),
  );
}

function withParts(plan: Plan, fields: RecordTypeDocument["fields"], rules: Rule[], key?: string[]): Plan {
  const output = plan.mapping.outputs?.[0];
  if (!output) return plan;
  return {
    ...plan,
    recordType: { ...plan.recordType, fields, key: key ?? plan.recordType.key },
    mapping: { ...plan.mapping, outputs: [{ ...output, fields: rules }, ...(plan.mapping.outputs ?? []).slice(1)] },
  };
}

/** Takes a value: for a field of its own, or for one that is there and that nothing fills yet. */
export function take(
  plan: Plan,
  path: string,
  type: FieldType,
  convert: Conversion[] = [],
  into: string | null = null,
): Plan {
  const fields = plan.recordType.fields ?? [];
  if (into) {
    const isSame = fields.find((one) => one.name === into)?.type === type;
    return withParts(plan, fields, [
      ...rulesOf(plan),
      {
        name: into,
        from: sourceOf(path),
        ...(isSame && convert.length ? { convert } : {}),
        ...(plan.recordType.key?.includes(into) ? { required: true } : {}),
      },
    ]);
  }
  const name = fieldName(
    path,
    fields.map((one) => one.name),
  );
  const rule: Rule = { name, from: sourceOf(path), ...(convert.length ? { convert } : {}) };
  return withParts(plan, [...fields, { name, type, searchable: type !== "json" }], [...rulesOf(plan), rule]);
}

/** Says that what was proposed for a field is right. */
export function confirm(plan: Plan, name: string): Plan {
  return { ...plan, proposed: Object.fromEntries(Object.entries(plan.proposed).filter(([one]) => one !== name)) };
}

export function useRecordTypes(project: string) {
  return useQuery({
    queryKey: ["record-types", project, "alone"],
    queryFn: async () =>
      (
        await answer(
          api.GET("/api/v1/projects/{project}/record-types", { params: { path: { project }, query: { limit: 500 } } }),
        )
      ).items,
  });
}

/** Its fields that no rule fills. */
export function openFields(plan: Plan) {
  const filled = new Set(rulesOf(plan).map((one) => one.name));
  return (plan.recordType.fields ?? []).filter((one) => !filled.has(one.name));
}

/** Whether two documents say the same, whatever the order of their members. */
function isSame(one: unknown, other: unknown): boolean {
  return hashKey([one]) === hashKey([other]);
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
    queryFn: async () =>
      (
        await answer(
          api.GET("/api/v1/projects/{project}/mappings", {
            params: { path: { project }, query: { q: plan.mappingName } },
          }),
        )
      ).items.find((one) => one.name === plan.mappingName) ?? null,
  }).data;
  const ofType =
    type && !isSame(type.document, plan.recordType) ? type.used_by.filter((one) => one.name !== plan.mappingName) : [];
  const ofMapping = mapping && !isSame(mapping.document, plan.mapping) ? mapping.used_by : [];
  return [
    { what: `record type ${plan.typeName}`, users: ofType },
    { what: `mapping ${plan.mappingName}`, users: ofMapping },
  ].filter((one) => one.users.length > 0);
}

/** Changes how a field gets its value: its steps, and what a failure does. */
export function setRule(plan: Plan, name: string, change: Partial<Pick<Rule, "convert" | "on_failure">>): Plan {
  return withParts(
    plan,
    plan.recordType.fields,
    rulesOf(plan).map((one) => (one.name === name ? { ...one, ...change } : one)),
  );
}

export function leave(plan: Plan, name: string): Plan {
  if (plan.isShared)
    return withParts(
      plan,
      plan.recordType.fields,
      rulesOf(plan).filter((one) => one.name !== name),
    );
  const key = (plan.recordType.key ?? []).filter((one) => one !== name);
  return withParts(
    plan,
    (plan.recordType.fields ?? []).filter((one) => one.name !== name),
    rulesOf(plan).filter((one) => one.name !== name),
    key,
  );
}

export function conditionsOf(plan: Plan) {
  return plan.mapping.outputs?.[0]?.where ?? [];
}

export function dropCondition(plan: Plan, number: number): Plan {
  const output = plan.mapping.outputs?.[0];
  if (!output) return plan;
  return {
    ...plan,
    mapping: {
      ...plan.mapping,
      outputs: [
        { ...output, where: conditionsOf(plan).filter((_, at) => at !== number) },
        ...(plan.mapping.outputs ?? []).slice(1),
      ],
    },
  };
}

export type Condition = NonNullable<NonNullable<MappingDocument["outputs"]>[number]["where"]>[number];

/** Lets only rows pass that pass this condition too, in place of any other on the same value. */
export function withCondition(plan: Plan, condition: Condition): Plan {
  const output = plan.mapping.outputs?.[0];
  if (!output) return plan;
  const where = [
    ...(output.where ?? []).filter((one) => JSON.stringify(one.from) !== JSON.stringify(condition.from)),
    condition,
  ];
  return {
    ...plan,
    mapping: { ...plan.mapping, outputs: [{ ...output, where }, ...(plan.mapping.outputs ?? []).slice(1)] },
  };
}

/** Lets only rows pass that have this text in this member of theirs. */
export function only(plan: Plan, member: string, text: string): Plan {
  const from = sourceOf(
    `$${/^[A-Za-z_][A-Za-z0-9_]*$/.test(member) ? `.${member}` : `[${JSON.stringify(member)}]`}`,
  ) as Condition["from"];
  return withCondition(plan, { from, is: "equal", value: text });
}

/** Whether one object in place of the list of rows is taken for the only one in it. */
export function isOrOne(plan: Plan): boolean {
  return plan.mapping.outputs?.[0]?.rows?.slice(-1)[0]?.or_one ?? false;
}

export function setOrOne(plan: Plan, orOne: boolean): Plan {
  const output = plan.mapping.outputs?.[0];
  const rows = output?.rows ?? [];
  const last = rows[rows.length - 1];
  if (!output || !last) return plan;
  const { or_one: _, ...plain } = last;
  return {
    ...plan,
    mapping: {
      ...plan.mapping,
      outputs: [
        { ...output, rows: [...rows.slice(0, -1), orOne ? { ...plain, or_one: true } : plain] },
        ...(plan.mapping.outputs ?? []).slice(1),
      ],
    },
  };
}

/** Renames a field; to the name of one that nothing fills yet, that one is filled with its value. */
export function rename(plan: Plan, from: string, to: string): Plan {
  const swap = (name: string) => (name === from ? to : name);
  if (plan.recordType.fields?.some((one) => one.name === to)) {
    const rules = rulesOf(plan).map((one) => ({
      ...one,
      name: swap(one.name),
      ...(plan.recordType.key?.includes(to) && one.name === from ? { required: true } : {}),
    }));
    return withParts(
      plan,
      plan.recordType.fields.filter((one) => one.name !== from),
      rules,
    );
  }
  return withParts(
    plan,
    (plan.recordType.fields ?? []).map((one) => ({ ...one, name: swap(one.name) })),
    rulesOf(plan).map((one) => ({ ...one, name: swap(one.name) })),
    (plan.recordType.key ?? []).map(swap),
  );
}

export function setField(plan: Plan, name: string, change: { type?: FieldType; unit?: string }): Plan {
  return withParts(
    plan,
    (plan.recordType.fields ?? []).map((one) => (one.name === name ? { ...one, ...change } : one)),
    rulesOf(plan),
  );
}

export function toggleKey(plan: Plan, name: string): Plan {
  const key = plan.recordType.key ?? [];
  const next = key.includes(name) ? key.filter((one) => one !== name) : [...key, name];
  return withParts(
    plan,
    plan.recordType.fields,
    rulesOf(plan).map((rule) => (rule.name === name ? { ...rule, required: next.includes(name) } : rule)),
    next,
  );
}

export function renameType(plan: Plan, typeName: string): Plan {
  const outputs = (plan.mapping.outputs ?? []).map((one, number) =>
    number === 0 ? { ...one, record_type: typeName } : one,
  );
  const linked = Object.fromEntries(
    Object.entries(plan.linked).map(([name, type]) => [name, linkedTo(type, plan.typeName, typeName)]),
  );
  return { ...plan, typeName, linked, mapping: { ...plan.mapping, outputs } };
}

function linkedTo(type: RecordTypeDocument, from: string, to: string): RecordTypeDocument {
  return {
    ...type,
    links: (type.links ?? []).map((one) => (one.record_type === from ? { ...one, record_type: to } : one)),
  };
}

/** Makes a list in each row records of their own, which belong to the row's; they are named after it, also if it was renamed meanwhile. */
export function addPart(plan: Plan, proposed: Schemas["ProposedPartShown"]): Plan {
  const part = namedFor(proposed, plan.typeName);
  return {
    ...plan,
    linked: { ...plan.linked, [part.name]: part.record_type },
    mapping: { ...plan.mapping, outputs: [...(plan.mapping.outputs ?? []), part.output] },
  };
}

export function namedFor(part: Schemas["ProposedPartShown"], typeName: string): Schemas["ProposedPartShown"] {
  const before = part.record_type.links?.[0]?.record_type ?? typeName;
  if (before === typeName) return part;
  const held = new Set(part.record_type.links?.flatMap((one) => one.fields));
  const field = (name: string) =>
    held.has(name) ? name.replace(before.replaceAll("-", "_"), typeName.replaceAll("-", "_")) : name;
  const name = part.name.replace(before, typeName);
  const { fields = [], key = [], links = [] } = part.record_type;
  return {
    name,
    path: part.path,
    record_type: {
      ...part.record_type,
      fields: fields.map((one) => ({ ...one, name: field(one.name) })),
      key: key.map(field),
      links: links.map((one) => ({ record_type: typeName, fields: one.fields.map(field) })),
    },
    output: {
      ...part.output,
      record_type: name,
      fields: part.output.fields?.map((one) => ({ ...one, name: field(one.name) })),
    },
  };
}

export function dropPart(plan: Plan, name: string): Plan {
  const linked = Object.fromEntries(Object.entries(plan.linked).filter(([one]) => one !== name));
  return {
    ...plan,
    linked,
    mapping: {
      ...plan.mapping,
      outputs: (plan.mapping.outputs ?? []).filter((one, number) => number === 0 || one.record_type !== name),
    },
  };
}
