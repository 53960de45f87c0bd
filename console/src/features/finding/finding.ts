import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api/client";

export function useSearch(project: string, text: string) {
  return useQuery({
    queryKey: ["search", project, text],
    enabled: text.length > 1,
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/search", { params: { path: { project }, query: { q: text } } })),
  });
}

export function useWhereUsed(project: string, kind: string, name: string) {
  return useQuery({
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
