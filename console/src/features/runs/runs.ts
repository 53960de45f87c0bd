import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { usePages } from "../../ui/pages";

export const OVER = ["done", "failed", "cancelled"];

/** A run, live while it goes on. id: 0 for none. */
export function useRun(project: string, id: number) {
  const cache = useQueryClient();
  const run = useQuery({
    queryKey: ["run", project, id],
    enabled: id > 0,
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/runs/{run_id}", { params: { path: { project, run_id: id } } })),
  });
  const isLive = run.data !== undefined && !OVER.includes(run.data.state);
  useEffect(() => {
    if (!isLive) return;
    const stream = new EventSource(`/api/v1/projects/${project}/runs/${id}/events`);
    stream.addEventListener("run", (event) => {
      const now = JSON.parse(event.data as string) as Schemas["Run"];
      cache.setQueryData(["run", project, id], now);
      void cache.invalidateQueries({ queryKey: ["calls", project, id] });
      if (OVER.includes(now.state)) {
        stream.close();
        void cache.invalidateQueries({ queryKey: ["rejects", project, id] });
      }
    });
    return () => stream.close();
  }, [cache, project, id, isLive]);
  return run;
}

export function useCalls(project: string, id: number) {
  return usePages(["calls", project, id], (after) =>
    answer(
      api.GET("/api/v1/projects/{project}/runs/{run_id}/calls", {
        params: { path: { project, run_id: id }, query: { limit: 200, after } },
      }),
    ),
  );
}

/** What a call's response fed. place: a JSON Pointer; empty for all of it. */
export function useFed(project: string, id: number, call: number, place: string) {
  return useQuery({
    queryKey: ["fed", project, id, call, place],
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/runs/{run_id}/calls/{number}/fed", {
          params: { path: { project, run_id: id, number: call }, query: { place } },
        }),
      ),
  });
}

/** Rows that could not become records. field: only those with a problem in it. */
export function useRejects(project: string, id: number, field?: string) {
  return usePages(["rejects", project, id, field], (after) =>
    answer(
      api.GET("/api/v1/projects/{project}/runs/{run_id}/rejects", {
        params: { path: { project, run_id: id }, query: { after, field } },
      }),
    ),
  );
}

/** For which fields rows were rejected, and how many. */
export function useRejectReasons(project: string, id: number) {
  return useQuery({
    queryKey: ["rejects", project, id, "reasons"],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/runs/{run_id}/reject-reasons", {
          params: { path: { project, run_id: id } },
        }),
      ),
  });
}

/** What a dry run found that a run would do. */
export function usePlanned(project: string, id: number, isAsked: boolean) {
  return usePages(["planned", project, id, isAsked], async (after) =>
    isAsked
      ? answer(
          api.GET("/api/v1/projects/{project}/runs/{run_id}/planned-changes", {
            params: { path: { project, run_id: id }, query: { after } },
          }),
        )
      : { items: [], next: null },
  );
}

/** Rows that a run's operation was asked for in vain. */
export function useRowFailures(project: string, id: number, isAsked: boolean) {
  return usePages(["row-failures", project, id, isAsked], async (after) =>
    isAsked
      ? answer(
          api.GET("/api/v1/projects/{project}/runs/{run_id}/row-failures", {
            params: { path: { project, run_id: id }, query: { after } },
          }),
        )
      : { items: [], next: null },
  );
}

export function useGoOn(project: string, id: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/projects/{project}/runs/{run_id}/go-on", { params: { path: { project, run_id: id } } })),
    onSuccess: (run) => cache.setQueryData(["run", project, id], run),
  });
}

export function useCancel(project: string, id: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/runs/{run_id}/cancel", { params: { path: { project, run_id: id } } }),
      ),
    onSuccess: (run) => cache.setQueryData(["run", project, id], run),
  });
}
