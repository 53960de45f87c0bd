import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";

export type Person = Schemas["Person"];
export type Role = Schemas["NewRoleRequest"]["role"];
export const ROLES: Role[] = ["viewer", "operator", "builder", "administrator"];

export function usePeople(isAsked: boolean) {
  return useQuery({ queryKey: ["people"], queryFn: () => answer(api.GET("/api/v1/people")), enabled: isAsked });
}

export function useMembers(project: string, isAsked: boolean) {
  return useQuery({
    queryKey: ["members", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/members", { params: { path: { project } } })),
    enabled: isAsked,
  });
}

export function useProjects() {
  return useQuery({ queryKey: ["projects"], queryFn: () => answer(api.GET("/api/v1/projects")) });
}

/** person: "" for one's own. */
export function useTokens(person: string) {
  return useQuery({
    queryKey: ["tokens", person],
    queryFn: () =>
      person
        ? answer(api.GET("/api/v1/people/{name}/tokens", { params: { path: { name: person } } }))
        : answer(api.GET("/api/v1/session/tokens")),
  });
}

/** A change of people, projects, members or tokens; whatever is shown of them is read again. */
function useChange<Given, Made>(change: (given: Given) => Promise<Made>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSettled: () =>
      Promise.all(
        ["people", "members", "projects", "tokens", "session"].map((key) =>
          cache.invalidateQueries({ queryKey: [key] }),
        ),
      ),
  });
}

export function useMakeProject() {
  return useChange((body: { name: string; title?: string }) => answer(api.POST("/api/v1/projects", { body })));
}

export function useRemoveProject() {
  return useChange((project: string) =>
    answer(api.DELETE("/api/v1/projects/{project}", { params: { path: { project } } })),
  );
}

export function useMakePerson() {
  return useChange((body: { name: string; title?: string; password?: string; is_administrator?: boolean }) =>
    answer(api.POST("/api/v1/people", { body })),
  );
}

export function useChangePerson() {
  return useChange(({ name, ...body }: { name: string; is_active?: boolean; is_administrator?: boolean }) =>
    answer(api.PATCH("/api/v1/people/{name}", { params: { path: { name } }, body })),
  );
}

export function useResetPassword() {
  return useChange((name: string) =>
    answer(api.PUT("/api/v1/people/{name}/password", { params: { path: { name } }, body: {} })),
  );
}

export function useSetMember(project: string) {
  return useChange(({ person, role }: { person: string; role: Role }) =>
    answer(
      api.PUT("/api/v1/projects/{project}/members/{person}", { params: { path: { project, person } }, body: { role } }),
    ),
  );
}

export function useRemoveMember(project: string) {
  return useChange((person: string) =>
    answer(api.DELETE("/api/v1/projects/{project}/members/{person}", { params: { path: { project, person } } })),
  );
}

export function useMakeToken() {
  return useChange((body: { title: string; days: number | null }) =>
    answer(api.POST("/api/v1/session/tokens", { body })),
  );
}

export function useRevokeToken(person: string) {
  return useChange((token_id: number) =>
    person
      ? answer(api.DELETE("/api/v1/people/{name}/tokens/{token_id}", { params: { path: { name: person, token_id } } }))
      : answer(api.DELETE("/api/v1/session/tokens/{token_id}", { params: { path: { token_id } } })),
  );
}

export function useChangePassword() {
  return useChange((body: { password: string; new_password: string }) =>
    answer(api.PUT("/api/v1/session/password", { body })),
  );
}
