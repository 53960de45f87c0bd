import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem } from "../../ui/pages";

export type TestCase = Schemas["TestCase"];
export type CheckedCase = Schemas["CheckedCase"];

const allCases = (project: string) =>
  everyItem((page) =>
    answer(api.GET("/api/v1/projects/{project}/cases", { params: { path: { project }, query: page } })),
  );

/** All test cases, and what comes of each now. */
export function useCases(project: string) {
  return useQuery({
    queryKey: ["cases", project],
    queryFn: async () => {
      const [cases, checked] = await Promise.all([
        allCases(project),
        answer(api.POST("/api/v1/projects/{project}/case-checks", { params: { path: { project } }, body: {} })),
      ]);
      return { cases, checked: new Map(checked.map((one) => [one.case, one])) };
    },
  });
}

/** The test cases that have one of some inputs. */
export function useSavedInputs(project: string, names: string[]): TestCase[] {
  const found = useQuery({ queryKey: ["cases", project, "all"], queryFn: () => allCases(project) });
  return (found.data ?? []).filter((one) => names.some((name) => name in (one.document.inputs ?? {})));
}

export function useRecordAgain(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (name: string) =>
      answer(api.POST("/api/v1/projects/{project}/case-records/{name}", { params: { path: { project, name } } })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["cases", project] }),
  });
}

export function useRemoveCase(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (one: TestCase) =>
      answer(
        api.DELETE("/api/v1/projects/{project}/cases/{name}", {
          params: { path: { project, name: one.name }, header: { "If-Match": `"${one.version}"` } },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["cases", project] }),
  });
}

export interface NewCase {
  name: string;
  operation: string;
  sample: string;
  mapping: string;
  inputs: Record<string, unknown>;
}

/** Makes a case of a run of a flow. keys: what becomes of what looks like keys. */
export function useRecordFlow(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { name: string; run: number; keys?: "mask" | "keep" }) =>
      answer(api.POST("/api/v1/projects/{project}/case-records", { params: { path: { project } }, body })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["cases", project] }),
  });
}

export function useRecordCase(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: NewCase) =>
      answer(api.POST("/api/v1/projects/{project}/case-records", { params: { path: { project } }, body })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["cases", project] }),
  });
}

/** What a case can be made of: samples with their operations, and mappings by service. */
export function useCaseParts(project: string) {
  return useQuery({
    queryKey: ["case-parts", project],
    queryFn: async () => {
      const from = (page: object) => ({ params: { path: { project }, query: page } });
      const [samples, mappings, operations] = await Promise.all([
        everyItem((page) => answer(api.GET("/api/v1/projects/{project}/samples", from(page)))),
        everyItem((page) => answer(api.GET("/api/v1/projects/{project}/mappings", from(page)))),
        everyItem((page) => answer(api.GET("/api/v1/projects/{project}/operations", from(page)))),
      ]);
      return { samples, mappings, operations };
    },
  });
}
