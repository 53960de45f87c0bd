import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, marked, type Schemas } from "../../api/client";
import { useMark } from "../../ui/mark";
import { namedAfter } from "./paths";
import { type Plan, type RecordTypeDocument, isSame } from "./plan";

export type OperationDocument = Schemas["OperationDocument"];
export type Trial = Omit<Schemas["TrialShown"], "run"> & { run: number };
export type Parameter = NonNullable<OperationDocument["query"]>[number];
export type Input = NonNullable<OperationDocument["inputs"]>[number];

/** Whether sending it changes nothing at the service: by its method, or as a GraphQL query. */
export function isReading(document: OperationDocument): boolean {
  if (document.body?.type === "graphql") return (document.body.kind ?? "query") === "query";
  if (document.body?.type === "soap") return document.body.reads ?? false;
  return ["GET", "HEAD", "OPTIONS"].includes(document.method ?? "GET");
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

/**
 * The draft with what was pasted: of a list of parameters the inputs that it has not yet, of anything else the whole.
 */
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
    reader.onload = () => done((reader.result as string).replace(/^[^,]*,/, ""));
    reader.onerror = () => fail(reader.error ?? new Error(`${file.name} cannot be read`));
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
