import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../api/client";
import { everyItem } from "./pages";

/** The project's prepared queries. */
export function useQueries(project: string) {
  return useQuery({
    queryKey: ["queries", project],
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/queries", { params: { path: { project }, query: page } })),
      ),
  });
}

/** Keeps a prepared query; one edit is seen by every operation that uses it. */
export function useSaveQuery(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({
      item,
      name,
      title,
      document,
    }: {
      item: Schemas["PreparedQuery"] | null;
      name: string;
      title?: string;
      document: Schemas["PreparedQuery"]["document"];
    }) =>
      item
        ? answer(
            api.PATCH("/api/v1/projects/{project}/queries/{name}", {
              params: { path: { project, name }, header: { "If-Match": `"${item.version}"` } },
              body: { document, title },
            }),
          )
        : answer(
            api.POST("/api/v1/projects/{project}/queries", {
              params: { path: { project } },
              body: { name, title, document },
            }),
          ),
    onSuccess: () => {
      for (const key of ["queries", "request"]) void cache.invalidateQueries({ queryKey: [key, project] });
    },
  });
}
