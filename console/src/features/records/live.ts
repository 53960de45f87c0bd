import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, answerIfThere, api, type Schemas } from "../../api/client";

export type RecordUses = Schemas["RecordUses"];
export type FieldUse = Schemas["FieldUse"];
export type Live = Schemas["LiveShown"];
export type BindingDocument = Schemas["BindingDocument"];
export type Proposal = Schemas["BindingProposal"];
export type Values = Record<string, unknown>;
/** The record that is meant: its key and the version that was read. */
export interface Known {
  key: string;
  version: string;
}

export const ROLES = ["list", "find", "create", "change", "replace", "remove"] as const;
export type Role = (typeof ROLES)[number];

/** What can be done with the records of a type in an environment. */
export function useRecordUses(project: string, environment: string, name: string) {
  return useQuery({
    queryKey: ["record-uses", project, environment, name],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/environments/{environment}/record-uses/{name}", {
          params: { path: { project, environment, name } },
        }),
      ),
  });
}

export const plays = (uses: RecordUses | undefined, role: Role) =>
  uses?.roles.some((one) => one.role === role && !one.problem) ?? false;

/** Makes, changes or removes a live record; what was read of these records is asked for again. known: null for a new one. */
export function useWriteRecord(project: string, environment: string, name: string, known: Known | null) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ data, inProtected }: { data: Values | null; inProtected: boolean }) => {
      const path = { project, environment, name };
      if (known === null)
        return answer(
          api.POST("/api/v1/projects/{project}/environments/{environment}/records/{name}", {
            params: { path },
            body: { data: data ?? {}, in_protected: inProtected },
          }),
        );
      const params = { path: { ...path, key: known.key }, header: { "If-Match": known.version } };
      const address = "/api/v1/projects/{project}/environments/{environment}/records/{name}/{key}";
      return data === null
        ? answer(api.DELETE(address, { params: { ...params, query: { in_protected: inProtected } } }))
        : answer(api.PATCH(address, { params, body: { data, in_protected: inProtected } }));
    },
    onSuccess: async (_, { data }) => {
      await cache.invalidateQueries({ queryKey: ["records", project, environment, name] });
      if (data !== null) await cache.invalidateQueries({ queryKey: ["record", project, environment, name] });
    },
  });
}

/** The binding of a record type, and a proposal; the binding is null while there is none. */
export function useBinding(project: string, type: string) {
  return useQuery({
    queryKey: ["binding", project, type],
    queryFn: async () => {
      const found = await answer(
        api.GET("/api/v1/projects/{project}/bindings", { params: { path: { project }, query: { limit: 200 } } }),
      );
      return found.items.find((one) => one.document.record_type === type) ?? null;
    },
  });
}

export function useProposal(
  project: string,
  asked: { record_type: string; mapping: string; operations: Partial<Record<Role, string>> },
) {
  return useQuery({
    queryKey: ["binding-proposal", project, asked],
    retry: false,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/binding-proposals", {
          params: { path: { project } },
          body: asked,
        }),
      ),
  });
}

/** The names of a service's operations, by what they do. */
export function useOperationNames(project: string, service: string) {
  return useQuery({
    queryKey: ["operations", project, service, "names"],
    enabled: service !== "",
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/operations", {
          params: { path: { project }, query: { service, limit: 200 } },
        }),
      ),
  });
}

export function useMapping(project: string, name: string) {
  return useQuery({
    queryKey: ["mapping", project, name],
    enabled: name !== "",
    queryFn: () =>
      answerIfThere(api.GET("/api/v1/projects/{project}/mappings/{name}", { params: { path: { project, name } } })),
  });
}

/** Saves the binding of a record type, and what kind the type is of. */
export function useSaveBinding(project: string, type: Schemas["RecordType"], before: Schemas["Binding"] | null) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async ({ document, kind }: { document: BindingDocument; kind: RecordUses["kind"] }) => {
      if (before === null)
        await answer(
          api.POST("/api/v1/projects/{project}/bindings", {
            params: { path: { project } },
            body: { name: type.name, document },
          }),
        );
      else
        await answer(
          api.PATCH("/api/v1/projects/{project}/bindings/{name}", {
            params: { path: { project, name: before.name }, header: { "If-Match": `"${before.version}"` } },
            body: { document },
          }),
        );
      if ((type.document.kind ?? "kept") !== kind)
        await answer(
          api.PATCH("/api/v1/projects/{project}/record-types/{name}", {
            params: { path: { project, name: type.name }, header: { "If-Match": `"${type.version}"` } },
            body: { document: { ...type.document, kind } },
          }),
        );
    },
    onSettled: () =>
      Promise.all(
        ["binding", "record-type", "record-types", "record-uses", "records"].map((kind) =>
          cache.invalidateQueries({ queryKey: [kind, project] }),
        ),
      ),
  });
}
