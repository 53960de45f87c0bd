import { useMutation, useQuery } from "@tanstack/react-query";
import { Problem, answer, api, type ProblemDocument, type Schemas } from "../../api/client";

export type Offering = Schemas["Offering"];
export type UsableOperation = Schemas["UsableOperation"];
export type UsableFlow = Schemas["UsableFlow"];
export type FlowRun = Schemas["CallRun"];
export type UsableType = Schemas["UsableType"];

/** Where a token is good for. The token is held by the page alone, and goes with it. sessions: of the user who tries
 * calls, by the service at which they have signed in themselves. */
export interface At {
  project: string;
  environment: string;
  token: string;
  sessions: Record<string, string>;
}

const signed = (at: At): Record<string, string> => {
  const sessions = Object.values(at.sessions).join(", ");
  return { Authorization: `Bearer ${at.token}`, ...(sessions ? { "Rondine-Session": sessions } : {}) };
};

export function useOffering({ project, environment, token }: At) {
  return useQuery({
    queryKey: ["use", project, environment, token],
    enabled: token !== "",
    retry: false,
    gcTime: 0,
    queryFn: () =>
      answer(
        api.GET("/api/v1/use/{project}/{environment}", {
          params: { path: { project, environment } },
          headers: { Authorization: `Bearer ${token}` },
        }),
      ),
  });
}

/** file: the body, where it is kept as one. */
export interface Told {
  status: number;
  timing: string;
  text: string;
  file?: { name: string; url: string; size: number };
}

async function told(request: Promise<Response>, fileName = ""): Promise<Told> {
  let response;
  try {
    response = await request;
  } catch {
    throw new Problem(unreachable);
  }
  const { status } = response;
  const timing = response.headers.get("Server-Timing") ?? "";
  if (fileName && response.ok) {
    const body = await response.blob();
    const said = /filename="([^"/\\]+)"/.exec(response.headers.get("Content-Disposition") ?? "")?.[1];
    return {
      status,
      timing,
      text: "",
      file: { name: said ?? fileName, url: URL.createObjectURL(body), size: body.size },
    };
  }
  return { status, timing, text: indented(await response.text()) };
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

/** Where a service sends the developer back to, who signs in there to try calls. */
export const callbackOf = (at: At) => `${location.origin}/use/${at.project}/${at.environment}/signed-in`;
/** What the page at that address says to the one that has opened it. */
export const BACK = "rondine: back from the page of consent";

/** Begins a session at a service, and waits until the user is back from its page of consent, if there is one. */
export function useSignIn(at: At) {
  const path = { project: at.project, environment: at.environment };
  return useMutation({
    mutationFn: async ({ service, given }: { service: string; given: Record<string, string> }) => {
      const { user_name, ...secrets } = given;
      const isConsent = Object.keys(given).length === 0;
      const body = isConsent ? { service, callback: callbackOf(at) } : { service, user_name, secrets };
      const SESSIONS = "/api/v1/use/{project}/{environment}/sessions";
      const begun = await answer(api.POST(SESSIONS, { params: { path }, headers: signed(at), body }));
      const session = begun.session ?? "";
      if (begun.address) {
        const query = await back(begun.address);
        const header = { "Rondine-Session": session };
        await answer(
          api.POST(`${SESSIONS}/current/answer`, {
            params: { path, header },
            headers: { Authorization: `Bearer ${at.token}` },
            body: { answer: Object.fromEntries(new URLSearchParams(query)) },
          }),
        );
      }
      return { service, session };
    },
  });
}

/** The query with which the browser comes back to the callback address, in another window. */
function back(address: string): Promise<string> {
  return new Promise((resolve) => {
    const channel = new BroadcastChannel(BACK);
    channel.onmessage = (event: MessageEvent<string>) => {
      channel.close();
      resolve(event.data);
    };
    window.open(address, "_blank", "popup,width=720,height=640");
  });
}

/** A call as the application makes it; the answer is shown as it came, whatever it is. */
export interface Asked {
  inputs: Record<string, string>;
  files: Record<string, File>;
  mapping: string;
  isContent: boolean;
  key: string;
  caller: string;
}

export function useTry(at: At, operation: string) {
  return useMutation({
    mutationFn: (asked: Asked) => {
      const hasFiles = Object.keys(asked.files).length > 0;
      const way = `/api/v1/use/${at.project}/${at.environment}/operations/${encodeURIComponent(operation)}`;
      const mapping = asked.mapping ? { mapping: asked.mapping } : undefined;
      const query = hasFiles && mapping ? `?${new URLSearchParams(mapping).toString()}` : "";
      return told(
        fetch(way + (asked.isContent ? "/content" : "") + query, {
          method: "POST",
          credentials: "omit",
          headers: {
            ...signed(at),
            ...(hasFiles ? {} : { "Content-Type": "application/json" }),
            ...(asked.key ? { "Idempotency-Key": asked.key } : {}),
            ...(asked.caller ? { "Rondine-Caller": asked.caller } : {}),
          },
          body: hasFiles ? form(asked) : JSON.stringify({ inputs: asked.inputs, ...mapping }),
        }),
        asked.isContent ? operation : "",
      );
    },
  });
}

function form({ inputs, files }: Asked) {
  const made = new FormData();
  for (const [name, value] of Object.entries(inputs)) made.append(name, value);
  for (const [name, file] of Object.entries(files)) made.append(name, file);
  return made;
}

/** A run of a flow as the application begins it; one that takes long is followed by `useFlowRun`. */
export function useTryFlow(at: At, flow: string) {
  return useMutation({
    mutationFn: (asked: Pick<Asked, "inputs" | "key" | "caller">) =>
      told(
        fetch(`/api/v1/use/${at.project}/${at.environment}/flows/${encodeURIComponent(flow)}`, {
          method: "POST",
          credentials: "omit",
          headers: {
            ...signed(at),
            "Content-Type": "application/json",
            Prefer: "wait=5",
            ...(asked.key ? { "Idempotency-Key": asked.key } : {}),
            ...(asked.caller ? { "Rondine-Caller": asked.caller } : {}),
          },
          body: JSON.stringify({ inputs: asked.inputs }),
        }),
      ),
  });
}

export const isOver = (run: FlowRun) => ["done", "failed", "cancelled"].includes(run.state);

/** A run, looked at again until it is over. */
export function useFlowRun(at: At, number: number) {
  const { project, environment } = at;
  return useQuery({
    queryKey: ["use-run", project, environment, at, number],
    gcTime: 0,
    refetchInterval: ({ state }) => (state.data && isOver(state.data) ? false : 1000),
    queryFn: () =>
      answer(
        api.GET("/api/v1/use/{project}/{environment}/runs/{number}", {
          params: { path: { project, environment, number: String(number) } },
          headers: signed(at),
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
