import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem } from "../../ui/pages";

export type Application = Schemas["Application"];
export type ApplicationDocument = Schemas["ApplicationDocument"];
export type UsageItem = Schemas["UsageItem"];

export interface ApplicationDraft {
  name: string;
  title: string;
  environment: string;
  document: ApplicationDocument;
}

export function useApplications(project: string) {
  return useQuery({
    queryKey: ["applications", project],
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/applications", { params: { path: { project }, query: page } })),
      ),
  });
}

export function useApplicationForms(project: string) {
  return useQuery({
    queryKey: ["application-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/application-forms", { params: { path: { project } } })),
  });
}

export function useOffer(project: string, name: string) {
  return useQuery({
    queryKey: ["applications", project, name, "offer"],
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/applications/{name}/offer", { params: { path: { project, name } } })),
  });
}

/** version: null for a new one. */
export function useSaveApplication(project: string, version: number | null) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (draft: ApplicationDraft) =>
      version === null
        ? answer(api.POST("/api/v1/projects/{project}/applications", { params: { path: { project } }, body: draft }))
        : answer(
            api.PATCH("/api/v1/projects/{project}/applications/{name}", {
              params: { path: { project, name: draft.name }, header: { "If-Match": `"${version}"` } },
              body: draft,
            }),
          ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["applications", project] }),
  });
}

export function useRemoveApplication(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (item: Application) =>
      answer(
        api.DELETE("/api/v1/projects/{project}/applications/{name}", {
          params: { path: { project, name: item.name }, header: { "If-Match": `"${item.version}"` } },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["applications", project] }),
  });
}

const TOKENS = "/api/v1/projects/{project}/applications/{name}/tokens";

export function useApplicationTokens(project: string, name: string) {
  return useQuery({
    queryKey: ["applications", project, name, "tokens"],
    queryFn: () => answer(api.GET(TOKENS, { params: { path: { project, name } } })),
  });
}

export function useMakeToken(project: string, name: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { title: string; days: number | null }) =>
      answer(api.POST(TOKENS, { params: { path: { project, name } }, body })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["applications", project] }),
  });
}

export function useRevokeToken(project: string, name: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE(`${TOKENS}/{token_id}`, { params: { path: { project, name, token_id: id } } })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["applications", project] }),
  });
}

const SESSIONS = "/api/v1/projects/{project}/applications/{name}/sessions";

export function useUserSessions(project: string, name: string) {
  return useQuery({
    queryKey: ["applications", project, name, "sessions"],
    queryFn: () => answer(api.GET(SESSIONS, { params: { path: { project, name } } })),
  });
}

export function useEndSessions(project: string, name: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => answer(api.DELETE(SESSIONS, { params: { path: { project, name } } })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["applications", project, name, "sessions"] }),
  });
}

export function useUsage(project: string, application: string) {
  return useQuery({
    queryKey: ["applications", project, application, "usage"],
    refetchInterval: 30_000,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/application-usage", {
          params: { path: { project }, query: { application, days: 7 } },
        }),
      ),
  });
}

/** Names of a kind in the project, for choosing. */
export function useChoices(project: string) {
  return useQuery({
    queryKey: ["application-choices", project],
    queryFn: async () => {
      const path = { project };
      const [operations, flows, types] = await Promise.all([
        everyItem((query) => answer(api.GET("/api/v1/projects/{project}/operations", { params: { path, query } }))),
        everyItem((query) => answer(api.GET("/api/v1/projects/{project}/flows", { params: { path, query } }))),
        everyItem((query) => answer(api.GET("/api/v1/projects/{project}/record-types", { params: { path, query } }))),
      ]);
      return { operations, flows, types };
    },
  });
}
