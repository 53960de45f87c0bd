import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem, usePages } from "../../ui/pages";

export type Webhook = Schemas["Webhook"];

export function useWebhooks(project: string) {
  return useQuery({
    queryKey: ["webhooks", project],
    refetchInterval: 5_000,
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/webhooks", { params: { path: { project }, query: page } })),
      ),
  });
}

/** What a webhook can be set to, as forms. */
export function useWebhookForms(project: string) {
  return useQuery({
    queryKey: ["webhook-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/webhook-forms", { params: { path: { project } } })),
  });
}

export function useDeliveries(project: string, name: string, isAsked: boolean) {
  return usePages(["deliveries", project, name, isAsked], async (after) =>
    isAsked
      ? answer(
          api.GET("/api/v1/projects/{project}/webhooks/{name}/deliveries", {
            params: { path: { project, name }, query: { after } },
          }),
        )
      : { items: [], next: null },
  );
}

export interface WebhookDraft {
  name: string;
  environment: string;
  credential: string | null;
  document: Schemas["WebhookDocument"];
}

export function useMakeWebhook(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (draft: WebhookDraft) =>
      answer(api.POST("/api/v1/projects/{project}/webhooks", { params: { path: { project } }, body: draft })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["webhooks", project] }),
  });
}

export function useRemoveWebhook(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (item: Webhook) =>
      answer(
        api.DELETE("/api/v1/projects/{project}/webhooks/{name}", {
          params: { path: { project, name: item.name }, header: { "If-Match": `"${item.version}"` } },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["webhooks", project] }),
  });
}
