import { saveJson } from "../../ui/saving";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, answerIfThere, api, type Schemas } from "../../api/client";
import { everyItem, usePages } from "../../ui/pages";

export type Service = Schemas["Service"];

/** The services whose name or title has the text, by name. */
export function useServicePages(project: string, search: string) {
  return usePages<Service>(["services", project, search], (after) =>
    answer(
      api.GET("/api/v1/projects/{project}/services", {
        params: { path: { project }, query: { q: search || undefined, after } },
      }),
    ),
  );
}

export function useService(project: string, name: string) {
  return useQuery({
    queryKey: ["services", project, "one", name],
    queryFn: () =>
      answer(api.GET("/api/v1/projects/{project}/services/{name}", { params: { path: { project, name } } })),
  });
}

/** Operations by name. q: a text in the name or title.  service: of this one only. */
export function useOperationPages(project: string, { q, service }: { q?: string; service?: string }) {
  return usePages<Schemas["Operation"]>(["services", project, "operations", service, q], (after) =>
    answer(
      api.GET("/api/v1/projects/{project}/operations", {
        params: { path: { project }, query: { q: q || undefined, service, after } },
      }),
    ),
  );
}

export function useDefinitionsOf(project: string, service: string) {
  return useQuery({
    queryKey: ["services", project, "definitions", service],
    queryFn: () =>
      everyItem((page) =>
        answer(
          api.GET("/api/v1/projects/{project}/definitions", {
            params: { path: { project }, query: { service, ...page } },
          }),
        ),
      ),
  });
}

/**
 * How an operation is told from others: by method and path, or, where many share an address, by what its definition
 * calls it.
 */
export function calledAs(document: Schemas["OperationDocument"]): string {
  const key = document.came_from?.key;
  if (key && (document.odata || document.body?.type === "graphql" || document.body?.type === "soap")) return key;
  return `${document.method ?? "GET"} ${document.path ?? "/"}`;
}

export interface NewConnection {
  service: string;
  title: string;
  environment: string;
  address: string;
  header: string;
  key: string;
}

/** Makes what a first connection needs: the service, a credential with its secret, the connection. */
export function useConnect(project: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (given: NewConnection) => {
      const params = { path: { project } };
      const known = await answerIfThere(
        api.GET("/api/v1/projects/{project}/services/{name}", { params: { path: { project, name: given.service } } }),
      );
      if (!known) {
        await answer(
          api.POST("/api/v1/projects/{project}/services", {
            params,
            body: { name: given.service, title: given.title },
          }),
        );
      }
      const credential = given.header ? `${given.service}-${given.environment}-key` : null;
      if (credential) {
        const existing = await answerIfThere(
          api.GET("/api/v1/projects/{project}/credentials/{name}", { params: { path: { project, name: credential } } }),
        );
        if (!existing) {
          await answer(
            api.POST("/api/v1/projects/{project}/credentials", {
              params,
              body: { name: credential, environment: given.environment },
            }),
          );
        }
        if (given.key) {
          await answer(
            api.PUT("/api/v1/projects/{project}/credentials/{name}/secrets", {
              params: { path: { project, name: credential } },
              body: { secrets: { key: given.key } },
            }),
          );
        }
      }
      const document: Schemas["ConnectionDocument"] = {
        base_address: given.address,
        sign_in: given.header ? { type: "api_key", name: given.header } : { type: "none" },
      };
      return answer(
        api.POST("/api/v1/projects/{project}/connections", {
          params,
          body: {
            name: `${given.service}-${given.environment}`,
            title: `${given.title || given.service}, ${given.environment}`,
            service: given.service,
            environment: given.environment,
            credential,
            document,
          },
        }),
      );
    },
    onSuccess: () => cache.invalidateQueries({ queryKey: ["services", project] }),
  });
}

/** A name from a title, by the service's own rule for names. */
export function nameOf(text: string): string {
  const plain = text
    .normalize("NFKD")
    .replace(/[^\x00-\x7f]/g, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "");
  return /^[a-z]/.test(plain) ? plain.slice(0, 58) : plain ? `n-${plain}`.slice(0, 58) : "";
}

/** The service as OpenAPI 3.1, saved to a file of the browser's. */
export function useExportService(project: string, name: string) {
  return useMutation({
    mutationFn: () =>
      answer(api.GET("/api/v1/projects/{project}/services/{name}/openapi", { params: { path: { project, name } } })),
    onSuccess: (made) => saveJson(`${name}.openapi.json`, made.document),
  });
}

export type Usual = Schemas["PatternItem"];

/** List, find, create, replace, change and remove of a resource, as proposals. */
export function useUsual(project: string) {
  return useMutation({
    mutationFn: (body: { path: string; record_type: string; key: string }) =>
      answer(api.POST("/api/v1/projects/{project}/patterns", { params: { path: { project } }, body })),
  });
}

/** Makes the operations, one after the other; the first that is refused says why. */
export function useMakeUsual(project: string, service: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (wanted: Usual[]) => {
      for (const one of wanted)
        await answer(
          api.POST("/api/v1/projects/{project}/operations", {
            params: { path: { project } },
            body: { name: one.name, title: one.title, service, document: one.document },
          }),
        );
    },
    onSettled: () => cache.invalidateQueries({ queryKey: ["services", project] }),
  });
}
