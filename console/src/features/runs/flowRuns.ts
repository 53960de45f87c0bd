import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";

/** The run of a flow, step by step; read anew whenever something has happened to the run. */
export function useFlowRun(project: string, run: Schemas["Run"] | undefined) {
  return useQuery({
    queryKey: ["flow-run", project, run?.id, run],
    enabled: run?.kind === "flow",
    placeholderData: (before) => before,
    refetchInterval: run?.state === "running" ? 1_000 : false,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/runs/{run_id}/flow", {
          params: { path: { project, run_id: run?.id ?? 0 } },
        }),
      ),
  });
}

/** The last runs of a flow. */
export function useRunsOfFlow(project: string, flow: string) {
  return useQuery({
    queryKey: ["runs-of-flow", project, flow],
    enabled: flow !== "",
    queryFn: async () => {
      const query = { flow, limit: 30 };
      const page = await answer(api.GET("/api/v1/projects/{project}/runs", { params: { path: { project }, query } }));
      return page.items;
    },
  });
}

/** Two runs of flows beside each other. first: null for none yet. */
export function useFlowComparison(project: string, first: number | null, second: number) {
  return useQuery({
    queryKey: ["flow-comparison", project, first, second],
    enabled: first !== null,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/runs/{run_id}/comparison", {
          params: { path: { project, run_id: first ?? 0 }, query: { run: second } },
        }),
      ),
  });
}

export function useAnswer(project: string, run: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["ApprovalGivenRequest"]) =>
      answer(
        api.POST("/api/v1/projects/{project}/runs/{run_id}/answers", {
          params: { path: { project, run_id: run } },
          body,
        }),
      ),
    onSuccess: (now) => cache.setQueryData(["run", project, run], now),
  });
}

export function useSettle(project: string, run: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["SettledGivenRequest"]) =>
      answer(
        api.POST("/api/v1/projects/{project}/runs/{run_id}/settlements", {
          params: { path: { project, run_id: run } },
          body,
        }),
      ),
    onSuccess: (now) => cache.setQueryData(["run", project, run], now),
  });
}

/** Lets a run go on that has stopped before a step. */
export function useContinue(project: string, run: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["GoingOnRequest"]) =>
      answer(
        api.POST("/api/v1/projects/{project}/runs/{run_id}/continuations", {
          params: { path: { project, run_id: run } },
          body,
        }),
      ),
    onSuccess: (now) => cache.setQueryData(["run", project, run], now),
  });
}
