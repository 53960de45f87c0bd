import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, marked } from "../../api/client";
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
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/feeds/{name}", { params: { path: { project, name } } })),
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
