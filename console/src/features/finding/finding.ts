import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";

export type ItemUse = Schemas["ItemUse"];

/** Kinds of items that have pages, or parts of pages, to be removed from. */
export type RemovableKind =
  | "services"
  | "connections"
  | "credentials"
  | "standing-values"
  | "definitions"
  | "operations"
  | "mappings"
  | "record-types"
  | "feeds"
  | "flows"
  | "queries";

export function useSearch(project: string, text: string) {
  return useQuery({
    queryKey: ["search", project, text],
    enabled: text.length > 1,
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/search", { params: { path: { project }, query: { q: text } } })),
  });
}

export function useWhereUsed(project: string, kind: string, name: string, isAsked = true) {
  return useQuery({
    enabled: isAsked,
    queryKey: ["where-used", project, kind, name],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/where-used/{kind}/{name}", { params: { path: { project, kind, name } } }),
      ),
  });
}

export function useProjectCheck(project: string) {
  return useQuery({
    queryKey: ["project-check", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/check", { params: { path: { project } } })),
  });
}

/** Removes an item at the version that was seen, or as it is now; with its items, if some belong to it. */
export function useRemoveItem(project: string, kind: RemovableKind, name: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async ({ version, withItsItems }: { version?: number; withItsItems: boolean }) => {
      const path = { project, name };
      const address = `/api/v1/projects/{project}/${kind}/{name}` as const;
      const seen = version ?? (await answer(api.GET(address, { params: { path } }))).version;
      return answer(
        api.DELETE(address, {
          params: { path, header: { "If-Match": `"${seen}"` }, query: { with_its_items: withItsItems } },
        }),
      );
    },
    onSuccess: () => void cache.invalidateQueries({ refetchType: "none" }),
  });
}
