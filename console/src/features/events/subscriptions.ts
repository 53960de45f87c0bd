import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem, usePages } from "../../ui/pages";

export type Subscription = Schemas["Subscription"];

export function useSubscriptions(project: string) {
  return useQuery({
    queryKey: ["subscriptions", project],
    refetchInterval: 5_000,
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/subscriptions", { params: { path: { project }, query: page } })),
      ),
  });
}

/** What a subscription can be set to, as forms. */
export function useSubscriptionForms(project: string) {
  return useQuery({
    queryKey: ["subscription-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/subscription-forms", { params: { path: { project } } })),
  });
}

/** The names of credentials, by environment. */
export function useCredentialNames(project: string) {
  return useQuery({
    queryKey: ["credential-names", project],
    queryFn: async () => {
      const credentials = await everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/credentials", { params: { path: { project }, query: page } })),
      );
      return credentials.map((one) => ({ name: one.name, environment: one.environment }));
    },
  });
}

export function useEvents(project: string) {
  return usePages(["events", project], (after) =>
    answer(api.GET("/api/v1/projects/{project}/events", { params: { path: { project }, query: { after } } })),
  );
}

export interface Draft {
  name: string;
  environment: string;
  credential: string | null;
  document: Schemas["SubscriptionDocument"];
}

export function useMakeSubscription(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (draft: Draft) =>
      answer(api.POST("/api/v1/projects/{project}/subscriptions", { params: { path: { project } }, body: draft })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["subscriptions", project] }),
  });
}

export function useChangeSubscription(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ item, ...content }: { item: Subscription; document: Schemas["SubscriptionDocument"] }) =>
      answer(
        api.PATCH("/api/v1/projects/{project}/subscriptions/{name}", {
          params: { path: { project, name: item.name }, header: { "If-Match": `"${item.version}"` } },
          body: content,
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["subscriptions", project] }),
  });
}

export function useRemoveSubscription(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (item: Subscription) =>
      answer(
        api.DELETE("/api/v1/projects/{project}/subscriptions/{name}", {
          params: { path: { project, name: item.name }, header: { "If-Match": `"${item.version}"` } },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["subscriptions", project] }),
  });
}
