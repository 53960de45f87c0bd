/** The operation on the bench: read, changed, sent. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, marked, type Schemas } from "../../api/client";
import { useMark } from "../../ui/mark";
import { savedPlan } from "./keeping";

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

/** Whether an input's value is bytes as base64: the whole body, or a part of it. */
export function takesBytes({ body }: OperationDocument, name: string): boolean {
  const isIt = (value: unknown) =>
    typeof value === "object" && value !== null && "input" in value && value.input === name;
  if (body?.type === "bytes") return isIt(body.content);
  return body?.type === "multipart" && (body.parts ?? []).some((one) => one.encoding === "base64" && isIt(one.value));
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

/** What a GraphQL schema offers at a place of a query, and the query with fields taken or left out. */
export function askFields(project: string, definition: string, body: Schemas["FieldsGivenRequest"]) {
  return answer(
    api.POST("/api/v1/projects/{project}/definitions/{name}/fields", {
      params: { path: { project, name: definition } },
      body,
    }),
  );
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
