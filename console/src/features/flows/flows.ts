import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, marked, type Schemas } from "../../api/client";
import { useMark } from "../../ui/mark";
import { everyItem, usePages } from "../../ui/pages";
import { useRecordTypes } from "../records/records";

export type Flow = Schemas["Flow"];

export function useFlows(project: string) {
  return usePages(["flows", project], (after) =>
    answer(api.GET("/api/v1/projects/{project}/flows", { params: { path: { project }, query: { after } } })),
  );
}

export function useFlow(project: string, name: string) {
  return useQuery({
    queryKey: ["flow", project, name],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/flows/{name}", { params: { path: { project, name } } })),
  });
}

/** What would keep its steps from being carried out in an environment, as it is saved. */
export function useFlowObstacles(project: string, { name, version }: Flow, environment: string) {
  return useQuery({
    queryKey: ["flow-obstacles", project, name, version, environment],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/flows/{name}/obstacles", {
          params: { path: { project, name }, query: { environment } },
        }),
      ),
  });
}

/** What a step of a flow, saved or not, can be given. place: of the step (JSON Pointer). */
export function useFlowOffers(project: string, document: Flow["document"], place: string) {
  return useQuery({
    queryKey: ["flow-offers", project, place, document],
    placeholderData: (before) => (before?.place === place ? before : undefined),
    retry: false,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/flow-offers", {
          params: { path: { project } },
          body: { document, at: place },
        }),
      ),
  });
}

/** Makes inputs, kept values or members of the reply of what a step leaves open; nothing is saved. */
export function useFillFlow(project: string) {
  return useMutation({
    mutationFn: (body: Schemas["FlowToFillRequest"]) =>
      answer(api.POST("/api/v1/projects/{project}/flow-fillings", { params: { path: { project } }, body })),
  });
}

/** What makes records of an operation's response. */
export function useMappingsFor(project: string, operation: string) {
  return useQuery({
    queryKey: ["mappings-for", project, operation],
    enabled: operation !== "",
    queryFn: async () => {
      const path = { project, name: operation };
      const { service } = await answer(api.GET("/api/v1/projects/{project}/operations/{name}", { params: { path } }));
      return everyItem((page) =>
        answer(
          api.GET("/api/v1/projects/{project}/mappings", {
            params: { path: { project }, query: { service, ...page } },
          }),
        ),
      );
    },
  });
}

export function useFlowSchema(project: string) {
  return useQuery({
    queryKey: ["document-schema", project, "flows"],
    staleTime: Infinity,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/document-schemas/{kind}", { params: { path: { project, kind: "flows" } } }),
      ),
  });
}

export function useMakeFlow(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { name: string; title: string }) =>
      answer(
        api.POST("/api/v1/projects/{project}/flows", {
          params: { path: { project } },
          body: { ...body, document: {} },
        }),
      ),
    onSuccess: () => void cache.invalidateQueries({ queryKey: ["flows", project] }),
  });
}

/** Saves a flow over the version that was seen. */
export function useSaveFlow(project: string, name: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ version, document }: { version: number; document: Flow["document"] }) =>
      answer(
        api.PATCH("/api/v1/projects/{project}/flows/{name}", {
          params: { path: { project, name }, header: { "If-Match": `"${version}"` } },
          body: { document },
        }),
      ),
    onSuccess: (saved) => cache.setQueryData(["flow", project, name], saved),
    onError: () => void cache.invalidateQueries({ queryKey: ["flow", project, name] }),
  });
}

/** The flow as an Arazzo document, with the OpenAPI documents that it refers to. */
export function useExportFlow(project: string, name: string) {
  return useMutation({
    mutationFn: () =>
      answer(api.GET("/api/v1/projects/{project}/flows/{name}/arazzo", { params: { path: { project, name } } })),
  });
}

/** Makes drafts of the workflows in an Arazzo document. */
export function useImportFlows(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (text: string) =>
      answer(
        api.POST("/api/v1/projects/{project}/flow-imports", {
          params: { path: { project } },
          body: { text, services: {} },
        }),
      ),
    onSuccess: () => void cache.invalidateQueries({ queryKey: ["flows", project] }),
  });
}

export function useRunFlow(project: string, name: string) {
  const mark = useMark();
  const cache = useQueryClient();
  return useMutation({
    onSettled: mark.settle,
    onSuccess: (begun) => cache.setQueryData(["run", project, begun.id], begun),
    mutationFn: (body: Schemas["FlowInputsRequest"]) =>
      answer(
        api.POST("/api/v1/projects/{project}/flows/{name}/runs", {
          params: { path: { project, name }, header: marked(mark.of(body)) },
          body,
        }),
      ),
  });
}

/** The types of records that outlast a run: kept ones, and those that live at a service. */
export function useLastingTypes(project: string) {
  return (useRecordTypes(project).data?.types ?? []).filter((one) => one.document.kind !== "passing");
}

/** What takes in requests of services. */
export function useWebhooks(project: string) {
  return useQuery({
    queryKey: ["webhooks", project],
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/webhooks", { params: { path: { project }, query: page } })),
      ),
  });
}

/** What runs of flows wait for, a person's answer among it. */
export function useFlowPauses(project: string) {
  return usePages(["flow-pauses", project], (after) =>
    answer(api.GET("/api/v1/projects/{project}/pauses", { params: { path: { project }, query: { after } } })),
  );
}
