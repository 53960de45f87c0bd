import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api } from "../../api/client";

export function useSession() {
  return useQuery({
    queryKey: ["session"],
    queryFn: () => answer(api.GET("/api/v1/session")),
    retry: false,
    staleTime: 60_000,
  });
}

export function useSignIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { name: string; password: string }) => answer(api.POST("/api/v1/session", { body })),
    onSuccess: (session) => {
      cache.setQueryData(["session"], session);
      void cache.invalidateQueries({ predicate: (query) => query.state.status === "error" });
    },
  });
}

export function useSignOut() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/session")),
    onSuccess: () => {
      cache.clear();
      window.location.assign("/");
    },
  });
}

/** Whether the person may do something in the project. */
export function usePermission(project: string, permission: string): boolean {
  return (
    useSession()
      .data?.projects.find((one) => one.name === project)
      ?.permissions.includes(permission) ?? false
  );
}

export function useEnvironments(project: string): string[] {
  return useSession().data?.projects.find((one) => one.name === project)?.environments ?? [];
}
