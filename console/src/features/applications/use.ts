import { useMutation, useQuery } from "@tanstack/react-query";
import { Problem, answer, api, type ProblemDocument, type Schemas } from "../../api/client";

export type Offering = Schemas["Offering"];
export type UsableOperation = Schemas["UsableOperation"];
export type UsableType = Schemas["UsableType"];

/** Where a token is good for. The token is held by the page alone, and goes with it. */
export interface At {
  project: string;
  environment: string;
  token: string;
}

const signed = (at: At) => ({ Authorization: `Bearer ${at.token}` });

export function useOffering(at: At) {
  return useQuery({
    queryKey: ["use", at],
    enabled: at.token !== "",
    retry: false,
    gcTime: 0,
    queryFn: () =>
      answer(
        api.GET("/api/v1/use/{project}/{environment}", {
          params: { path: { project: at.project, environment: at.environment } },
          headers: signed(at),
        }),
      ),
  });
}

export interface Told {
  status: number;
  timing: string;
  text: string;
}

async function told(request: Promise<Response>): Promise<Told> {
  let response;
  try {
    response = await request;
  } catch {
    throw new Problem(unreachable);
  }
  const text = await response.text();
  return { status: response.status, timing: response.headers.get("Server-Timing") ?? "", text: indented(text) };
}

const unreachable: ProblemDocument = {
  type: "urn:rondine:problem:unreachable",
  title: "unreachable",
  status: 0,
  detail: "the service cannot be reached",
  code: "unreachable",
  where: "",
  hint: "try again in a moment",
  problems: [],
};

/** JSON with line breaks, digit by digit as it came: only white space is put between its tokens. */
export function indented(text: string): string {
  let out = "";
  let depth = 0;
  const line = () => `\n${"  ".repeat(depth)}`;
  for (const [token] of text.matchAll(/"(?:[^"\\]|\\.)*"|[[\]{},:]|[^\s"[\]{},:]+/g)) {
    if (token === "{" || token === "[") {
      depth += 1;
      out += token + line();
    } else if (token === "}" || token === "]") {
      depth = Math.max(0, depth - 1);
      out = /[[{]\s*$/.test(out) ? out.trimEnd() + token : out + line() + token;
    } else if (token === ",") out += token + line();
    else if (token === ":") out += ": ";
    else out += token;
  }
  return out;
}

/** A call as the application makes it; the answer is shown as it came, whatever it is. */
export function useTry(at: At, operation: string) {
  return useMutation({
    mutationFn: (asked: { inputs: Record<string, unknown>; mapping: string; key: string; caller: string }) =>
      told(
        fetch(`/api/v1/use/${at.project}/${at.environment}/operations/${encodeURIComponent(operation)}`, {
          method: "POST",
          credentials: "omit",
          headers: {
            ...signed(at),
            "Content-Type": "application/json",
            ...(asked.key ? { "Idempotency-Key": asked.key } : {}),
            ...(asked.caller ? { "Rondine-Caller": asked.caller } : {}),
          },
          body: JSON.stringify({ inputs: asked.inputs, ...(asked.mapping ? { mapping: asked.mapping } : {}) }),
        }),
      ),
  });
}

export function useRead(at: At, type: string) {
  return useMutation({
    mutationFn: (query: string) =>
      told(
        fetch(`/api/v1/use/${at.project}/${at.environment}/records/${encodeURIComponent(type)}?${query}`, {
          credentials: "omit",
          headers: signed(at),
        }),
      ),
  });
}
