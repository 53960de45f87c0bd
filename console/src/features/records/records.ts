import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, marked, type Schemas } from "../../api/client";
import { useMark } from "../../ui/mark";
import { everyItem, type LargePage } from "../../ui/pages";

export function useRecordTypes(project: string) {
  return useQuery({
    queryKey: ["record-types", project],
    queryFn: async () => {
      const from = (page: LargePage) => ({ params: { path: { project }, query: page } });
      const [types, feeds, mappings] = await Promise.all([
        everyItem((page) => answer(api.GET("/api/v1/projects/{project}/record-types", from(page)))),
        everyItem((page) => answer(api.GET("/api/v1/projects/{project}/feeds", from(page)))),
        everyItem((page) => answer(api.GET("/api/v1/projects/{project}/mappings", from(page)))),
      ]);
      return { types, feeds, mappings };
    },
  });
}

export function useRecordType(project: string, name: string) {
  return useQuery({
    queryKey: ["record-type", project, name],
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/record-types/{name}", { params: { path: { project, name } } })),
  });
}

export function useRecordPages(project: string, environment: string, name: string, filters: Record<string, string>) {
  return useInfiniteQuery({
    queryKey: ["records", project, environment, name, filters],
    initialPageParam: undefined as string | undefined,
    retry: false,
    queryFn: ({ pageParam }) =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{environment}/records/{name}", {
          params: { path: { project, environment, name }, query: { limit: 50, cursor: pageParam, ...filters } },
        }),
      ),
    getNextPageParam: (last) => last.next ?? undefined,
  });
}

export function useRecord(project: string, environment: string, name: string, key: string) {
  return useQuery({
    queryKey: ["record", project, environment, name, key],
    retry: false,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{environment}/records/{name}/{key}", {
          params: { path: { project, environment, name, key } },
        }),
      ),
  });
}

export function useFeed(project: string, name: string) {
  return useQuery({
    queryKey: ["feed", project, name],
    refetchInterval: (query) => (query.state.data?.document.schedule ? 5_000 : false),
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/feeds/{name}", { params: { path: { project, name } } })),
  });
}

export type Schedule = NonNullable<Schemas["FeedDocument"]["schedule"]>;

/** The kinds of schedules, each as a form. */
export function useScheduleForms(project: string): Schemas["FormShown"][] {
  const found = useQuery({
    queryKey: ["feed-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/feed-forms", { params: { path: { project } } })),
  });
  return found.data?.schedules ?? [];
}

export function useChangeFeed(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ feed, document }: { feed: Schemas["Feed"]; document: Schemas["FeedDocument"] }) =>
      answer(
        api.PATCH("/api/v1/projects/{project}/feeds/{name}", {
          params: { path: { project, name: feed.name }, header: { "If-Match": `"${feed.version}"` } },
          body: { document },
        }),
      ),
    onSuccess: (feed) => cache.setQueryData(["feed", project, feed.name], feed),
  });
}

export function useRunFeed(project: string) {
  const cache = useQueryClient();
  const mark = useMark();
  return useMutation({
    mutationFn: ({ name, confirmed }: { name: string; confirmed?: boolean }) =>
      answer(
        api.POST("/api/v1/projects/{project}/feeds/{name}/runs", {
          params: { path: { project, name }, header: marked(mark.of([name, confirmed])) },
          body: { inputs: {}, confirmed },
        }),
      ),
    onSettled: mark.settle,
    onSuccess: () => cache.invalidateQueries({ queryKey: ["record-types", project] }),
  });
}
