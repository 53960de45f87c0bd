import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, answerIfThere, api, type Schemas } from "../../api/client";
import { everyItem } from "../../ui/pages";

export type Connection = Schemas["Connection"];
export type ConnectionDocument = Schemas["ConnectionDocument"];
export type CheckStep = Schemas["CheckStep"];

export interface PartProps {
  document: ConnectionDocument;
  readOnly: boolean;
  onDocument: (document: ConnectionDocument) => void;
}

const at = (project: string, name: string) => ({ params: { path: { project, name } } });

export function useConnection(project: string, name: string) {
  return useQuery({
    queryKey: ["connection", project, name],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/connections/{name}", at(project, name))),
  });
}

export function useForms(project: string) {
  return useQuery({
    queryKey: ["connection-forms", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/connection-forms", { params: { path: { project } } })),
    staleTime: Infinity,
  });
}

function useFresh(project: string, name: string) {
  const cache = useQueryClient();
  return () => {
    for (const key of ["connection", "meter", "sign-in", "effective"])
      void cache.invalidateQueries({ queryKey: [key, project, name] });
    for (const key of ["services", "obstacles", "credential"])
      void cache.invalidateQueries({ queryKey: [key, project] });
  };
}

export function useCheck(project: string, name: string) {
  const fresh = useFresh(project, name);
  return useMutation({
    mutationFn: (where: "web" | "worker") =>
      answer(
        api.POST("/api/v1/projects/{project}/connections/{name}/check", { ...at(project, name), body: { where } }),
      ),
    onSettled: fresh,
  });
}

export function useChangeConnection(project: string, name: string) {
  const fresh = useFresh(project, name);
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ version, ...body }: { version: number; document: ConnectionDocument; credential?: string | null }) =>
      answer(
        api.PATCH("/api/v1/projects/{project}/connections/{name}", {
          params: { path: { project, name }, header: { "If-Match": `"${version}"` } },
          body,
        }),
      ),
    onSuccess: (made) => {
      cache.setQueryData(["connection", project, name], made);
      fresh();
    },
  });
}

/** Gives the connection's credential its secrets, or the one that is named `own`; makes it if there is none. */
export function useSetSecrets(project: string, connection: Connection, own: string | null) {
  const fresh = useFresh(project, connection.name);
  return useMutation({
    mutationFn: async ({
      secrets,
      keyFiles,
      isSecond,
      origins,
    }: {
      secrets: Record<string, string>;
      keyFiles: Record<string, { base64: string; passphrase: string }>;
      isSecond: boolean;
      origins: string[];
    }) => {
      const name = own ?? connection.credential ?? `${connection.name}-key`;
      if (own) {
        const known = await answerIfThere(
          api.GET("/api/v1/projects/{project}/credentials/{name}", { params: { path: { project, name: own } } }),
        );
        if (!known)
          await answer(
            api.POST("/api/v1/projects/{project}/credentials", {
              params: { path: { project } },
              body: { name, environment: connection.environment },
            }),
          );
      } else if (!connection.credential) {
        await answer(
          api.POST("/api/v1/projects/{project}/credentials", {
            params: { path: { project } },
            body: { name, environment: connection.environment },
          }),
        );
        await answer(
          api.PATCH("/api/v1/projects/{project}/connections/{name}", {
            params: { path: { project, name: connection.name }, header: { "If-Match": `"${connection.version}"` } },
            body: { credential: name },
          }),
        );
      }
      return answer(
        api.PUT("/api/v1/projects/{project}/credentials/{name}/secrets", {
          ...at(project, name),
          body: { secrets, key_files: keyFiles, is_second: isSecond, origins },
        }),
      );
    },
    onSettled: fresh,
  });
}

export function useCredential(project: string, name: string | null) {
  return useQuery({
    queryKey: ["credential", project, name],
    enabled: name !== null,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/credentials/{name}", at(project, name ?? ""))),
  });
}

/** Lets a credential's secrets be sent to more addresses than they were entered for (administrators). */
export function usePermitOrigins(project: string, connection: Connection, credential: string) {
  const fresh = useFresh(project, connection.name);
  return useMutation({
    mutationFn: async (origins: string[]) => {
      for (const origin of origins)
        await answer(
          api.POST("/api/v1/projects/{project}/credentials/{name}/origins", {
            ...at(project, credential),
            body: { origin },
          }),
        );
    },
    onSettled: fresh,
  });
}

export function useDropSecond(project: string, connection: Connection, credential: string) {
  const fresh = useFresh(project, connection.name);
  return useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/projects/{project}/credentials/{name}/secrets/second", at(project, credential))),
    onSettled: fresh,
  });
}

/** The names of a service's operations. */
export function useOperationNames(project: string, service: string): string[] {
  const found = useQuery({
    queryKey: ["operation-names", project, service],
    queryFn: () =>
      everyItem((page) =>
        answer(
          api.GET("/api/v1/projects/{project}/operations", {
            params: { path: { project }, query: { service, ...page } },
          }),
        ),
      ),
  });
  return found.data?.map((one) => one.name) ?? [];
}

export function useSignIn(project: string, name: string) {
  return useQuery({
    queryKey: ["sign-in", project, name],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/connections/{name}/sign-in", at(project, name))),
  });
}

/** Leads the browser to the service's consent page; it comes back to this page. */
export function useBeginSignIn(project: string, name: string) {
  return useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/projects/{project}/connections/{name}/sign-in", { ...at(project, name), body: {} })),
    onSuccess: (begun) => window.location.assign(begun.address),
  });
}

export function useDiscardToken(project: string, name: string) {
  const fresh = useFresh(project, name);
  return useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/projects/{project}/connections/{name}/sign-in", at(project, name))),
    onSettled: fresh,
  });
}

export function useMeter(project: string, name: string) {
  return useQuery({
    queryKey: ["meter", project, name],
    refetchInterval: 5000,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/connections/{name}/meter", at(project, name))),
  });
}

/** Lets a wait that the service asked for count whole, or lifts it. */
export function useDecideWait(project: string, name: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (believe: boolean) =>
      answer(
        api.PUT("/api/v1/projects/{project}/connections/{name}/wait", { ...at(project, name), body: { believe } }),
      ),
    onSuccess: (found) => cache.setQueryData(["meter", project, name], found),
  });
}

export function useEffective(project: string, name: string, version: number) {
  return useQuery({
    queryKey: ["effective", project, name, version],
    retry: false,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/connections/{name}/effective", at(project, name))),
  });
}

export function useFindAddresses(project: string) {
  return useMutation({
    mutationFn: (issuer: string) =>
      answer(api.POST("/api/v1/projects/{project}/metadata", { params: { path: { project } }, body: { issuer } })),
  });
}

/** Moves a header's or parameter's fixed value into the connection's credential. */
export function useMoveKey(project: string, connection: Connection) {
  const fresh = useFresh(project, connection.name);
  return useMutation({
    mutationFn: (place: string) =>
      answer(
        api.POST("/api/v1/projects/{project}/moves", {
          params: { path: { project } },
          body: { service: connection.service, environment: connection.environment, place },
        }),
      ),
    onSettled: fresh,
  });
}
