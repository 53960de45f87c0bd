import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
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

export function useRecordPages(
  project: string,
  environment: string,
  name: string,
  filters: Record<string, string>,
  enabled: boolean,
) {
  return useInfiniteQuery({
    enabled,
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

/** What the values of kept records look like, of all that the filters leave. */
export function useRecordProfile(
  project: string,
  environment: string,
  name: string,
  filters: Record<string, string>,
  enabled: boolean,
) {
  return useQuery({
    enabled,
    queryKey: ["records", project, environment, name, filters, "profile"],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{environment}/record-profiles/{name}", {
          params: { path: { project, environment, name }, query: { ...filters } },
        }),
      ),
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

/** What a feed can be set to, as forms. */
export function useFeedForms(project: string): Schemas["FeedForms"] | undefined {
  const forms = useQuery({
    queryKey: ["feed-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/feed-forms", { params: { path: { project } } })),
  });
  return forms.data;
}

/** The names of the inputs of a feed's operation. */
export function useInputNames(project: string, operation: string): string[] {
  const found = useQuery({
    queryKey: ["operation", project, operation],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/operations/{name}", { params: { path: { project, name: operation } } }),
      ),
  });
  return (found.data?.document.inputs ?? []).map((input) => input.name);
}

/** What happened to one record, the newest first. */
export function useChanges(project: string, environment: string, name: string, key: string) {
  return useQuery({
    queryKey: ["record-changes", project, environment, name, key],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{environment}/record-changes/{name}", {
          params: { path: { project, environment, name }, query: { key } },
        }),
      ),
  });
}

/** The SQL view of a record type's kept records; undefined while nothing was kept. */
export function useView(project: string, environment: string, name: string) {
  const views = useQuery({
    queryKey: ["record-views", project, environment],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{environment}/record-views", {
          params: { path: { project, environment } },
        }),
      ),
  });
  return views.data?.find((view) => view.record_type === name);
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

export interface RunOptions {
  confirmed?: boolean;
  brings_all?: boolean;
  may_mark_all?: boolean;
  is_dry?: boolean;
  only_rows_of?: number;
  only_rejects_of?: number;
}

export function useRunFeed(project: string) {
  const cache = useQueryClient();
  const mark = useMark();
  return useMutation({
    mutationFn: ({ name, ...options }: { name: string } & RunOptions) =>
      answer(
        api.POST("/api/v1/projects/{project}/feeds/{name}/runs", {
          params: { path: { project, name }, header: marked(mark.of([name, options])) },
          body: { inputs: {}, ...options },
        }),
      ),
    onSettled: mark.settle,
    onSuccess: () => cache.invalidateQueries({ queryKey: ["record-types", project] }),
  });
}
