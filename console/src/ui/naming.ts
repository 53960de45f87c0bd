import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../api/client";

type Kind = Schemas["NameAskedRequest"]["kind"];

/**
 * A free name by the project's rule for something called so in words, and what it says of it; empty while it is not
 * known.
 */
export function useName(project: string, kind: Kind, text: string, service = ""): { name: string; words: string } {
  const plain = text.trim();
  const found = useQuery({
    queryKey: ["name", project, kind, plain, service],
    enabled: plain !== "",
    staleTime: 5_000,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/names", {
          params: { path: { project } },
          body: { kind, text: plain, service },
        }),
      ),
  });
  if (!plain || !found.data) return { name: "", words: "" };
  const { name, wanted, is_taken } = found.data;
  return { name, words: is_taken ? `${wanted} is taken: named ${name}` : `named ${name}` };
}
