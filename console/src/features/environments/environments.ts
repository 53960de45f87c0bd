import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem } from "../../ui/pages";

export function useEnvironmentList(project: string) {
  return useQuery({
    queryKey: ["environments", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/environments", { params: { path: { project } } })),
  });
}

export function useStandingValues(project: string) {
  return useQuery({
    queryKey: ["standing-values", project],
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/standing-values", { params: { path: { project }, query: page } })),
      ),
  });
}

export function useHosts(project: string) {
  return useQuery({
    queryKey: ["hosts", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/hosts", { params: { path: { project } } })),
  });
}

export function useObstacles(project: string) {
  return useQuery({
    queryKey: ["obstacles", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/obstacles", { params: { path: { project } } })),
  });
}

/** A change whose outcome may touch everything that is shown of environments. */
function useChange<Given>(project: string, change: (given: Given) => Promise<unknown>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSettled: () => {
      for (const key of ["environments", "standing-values", "hosts", "obstacles", "services"])
        void cache.invalidateQueries({ queryKey: [key, project] });
      void cache.invalidateQueries({ queryKey: ["session"] });
    },
  });
}

export function useMakeEnvironment(project: string) {
  return useChange(project, (name: string) =>
    answer(api.POST("/api/v1/projects/{project}/environments", { params: { path: { project } }, body: { name } })),
  );
}

export function useProtect(project: string) {
  return useChange(project, ({ name, is_protected }: { name: string; is_protected: boolean }) =>
    answer(
      api.PATCH("/api/v1/projects/{project}/environments/{name}", {
        params: { path: { project, name } },
        body: { is_protected },
      }),
    ),
  );
}

export function useChangeCallback(project: string) {
  return useChange(project, ({ name, callback }: { name: string; callback: string }) =>
    answer(
      api.PATCH("/api/v1/projects/{project}/environments/{name}", {
        params: { path: { project, name } },
        body: { callback },
      }),
    ),
  );
}

/** For how long an environment keeps runs and bodies; null for ever. */
export function useKeepFor(project: string) {
  return useChange(
    project,
    ({ name, ...days }: { name: string; runs_days: number | null; bodies_days: number | null }) =>
      answer(
        api.PATCH("/api/v1/projects/{project}/environments/{name}", {
          params: { path: { project, name } },
          body: days,
        }),
      ),
  );
}

export function useProveCallback(project: string) {
  return useMutation({
    mutationFn: (name: string) =>
      answer(
        api.POST("/api/v1/projects/{project}/environments/{name}/callback-proof", {
          params: { path: { project, name } },
        }),
      ),
  });
}

export function useRemoveEnvironment(project: string) {
  return useChange(project, (name: string) =>
    answer(api.DELETE("/api/v1/projects/{project}/environments/{name}", { params: { path: { project, name } } })),
  );
}

export function useMakeStandingValue(project: string) {
  return useChange(project, (name: string) =>
    answer(api.POST("/api/v1/projects/{project}/standing-values", { params: { path: { project } }, body: { name } })),
  );
}

export function useSetStandingValue(project: string) {
  return useChange(
    project,
    ({ held, environment, value }: { held: Schemas["StandingValue"]; environment: string; value: string }) => {
      const values = { ...held.document.values, [environment]: value };
      if (value === "") delete values[environment];
      return answer(
        api.PATCH("/api/v1/projects/{project}/standing-values/{name}", {
          params: { path: { project, name: held.name }, header: { "If-Match": `"${held.version}"` } },
          body: { document: { ...held.document, values } },
        }),
      );
    },
  );
}

export function usePermitHost(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { host: string; port: number | null; is_private: boolean }) =>
      answer(api.POST("/api/v1/projects/{project}/hosts", { params: { path: { project } }, body })),
    onSuccess: () => cache.invalidateQueries(), // what could not be reached may stand anywhere
  });
}

export function useRemoveHost(project: string) {
  return useChange(project, (host_id: number) =>
    answer(api.DELETE("/api/v1/projects/{project}/hosts/{host_id}", { params: { path: { project, host_id } } })),
  );
}

export function useStandingNames(project: string): string[] {
  return useStandingValues(project).data?.map((one) => one.name) ?? [];
}
