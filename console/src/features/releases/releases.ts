import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { usePages } from "../../ui/pages";

/** A release's number; null is the draft. */
export type State = number | null;

export const called = (state: State) => (state === null ? "the draft" : `release ${state}`);

/** The newest first. */
export function useReleases(project: string) {
  return usePages(["releases", project], (after) =>
    answer(api.GET("/api/v1/projects/{project}/releases", { params: { path: { project }, query: { after } } })),
  );
}

export function useUnready(project: string) {
  return useQuery({
    queryKey: ["releases", project, "check"],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/release-check", { params: { path: { project } } })),
  });
}

export function useDifferences(project: string, before: State | undefined, after: State) {
  return useQuery({
    queryKey: ["releases", project, "differences", before, after],
    enabled: before !== undefined,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/release-differences", {
          params: { path: { project }, query: { before: `${before ?? "draft"}`, after: `${after ?? "draft"}` } },
        }),
      ),
  });
}

export function useContents(project: string, number: number) {
  return useQuery({
    queryKey: ["releases", project, number, "contents"],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/releases/{number}/contents", { params: { path: { project, number } } }),
      ),
  });
}

export function useSwitches(project: string, name: string) {
  return useQuery({
    queryKey: ["releases", project, "switches", name],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{name}/switches", { params: { path: { project, name } } }),
      ),
  });
}

export function useChecklist(project: string, name: string, state: State) {
  return useQuery({
    queryKey: ["releases", project, "checklist", name, state],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{name}/checklist", {
          params: { path: { project, name }, query: { release: state ?? undefined } },
        }),
      ),
  });
}

/** A change after which everything may run by something else. */
function useChange<Given>(change: (given: Given) => Promise<unknown>) {
  const cache = useQueryClient();
  return useMutation({ mutationFn: change, onSettled: () => cache.invalidateQueries() });
}

export function useMakeRelease(project: string) {
  return useChange((body: Schemas["NewReleaseRequest"]) =>
    answer(api.POST("/api/v1/projects/{project}/releases", { params: { path: { project } }, body })),
  );
}

export function useFixedValues(project: string) {
  return useQuery({
    queryKey: ["releases", project, "fixed-values"],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/fixed-values", { params: { path: { project } } })),
  });
}

export function useNameValue(project: string) {
  return useChange(({ kind, item, place, version }: Schemas["FixedValueItem"]) =>
    answer(
      api.POST("/api/v1/projects/{project}/fixed-values", {
        params: { path: { project }, header: { "If-Match": `"${version}"` } },
        body: { kind, item, place },
      }),
    ),
  );
}

export function useGoOver(project: string) {
  return useChange(({ name, release, why }: { name: string; release: State; why: string }) =>
    answer(
      api.PUT("/api/v1/projects/{project}/environments/{name}/release", {
        params: { path: { project, name } },
        body: { release, why },
      }),
    ),
  );
}

export function useRollBack(project: string) {
  return useChange((name: string) =>
    answer(
      api.POST("/api/v1/projects/{project}/environments/{name}/release/back", {
        params: { path: { project, name } },
        body: {},
      }),
    ),
  );
}

export function useWithdraw(project: string) {
  return useChange(({ number, why }: { number: number; why: string }) =>
    answer(
      api.POST("/api/v1/projects/{project}/releases/{number}/withdraw", {
        params: { path: { project, number } },
        body: { why },
      }),
    ),
  );
}
