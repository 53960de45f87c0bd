import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type ProblemDocument = Schemas["Problem"] & { current?: unknown };

/** What the service refused or failed at, as its problem document says it (RFC 9457). */
export class Problem extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
  get code() {
    return this.document.code;
  }
}

const listeners = new Set<() => void>();

/** Calls back when the service says that nobody is signed in any more. */
export function onSignInNeeded(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

const csrf: Middleware = {
  onRequest({ request }) {
    const cookie = document.cookie.split("; ").find((one) => one.startsWith("rondine_csrf="));
    if (cookie && request.method !== "GET") request.headers.set("X-CSRFToken", cookie.slice("rondine_csrf=".length));
    return request;
  },
};

export const api = createClient<paths>({ baseUrl: "/" });
api.use(csrf);

/** The header that marks what is to be sent: all requests with the same mark come to one sending. */
export const marked = (mark: string) => ({ "Idempotency-Key": mark });

/** The data of a call. Throws a Problem for whatever went wrong, also when the service cannot be reached. */
export async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch {
    throw new Problem(
      plain(
        0,
        "unreachable",
        "the service cannot be reached",
        "see whether it runs (./start --status), then try again",
      ),
    );
  }
  if (result.response.ok) return result.data as T;
  const document = isProblem(result.error)
    ? result.error
    : plain(result.response.status, "error", `the service answered ${result.response.status}`, "try again");
  if (document.status === 401 && document.where !== "sign-in") listeners.forEach((listener) => listener());
  throw new Problem(document);
}

/** As `answer`, but null where the service has no such thing. */
export async function answerIfThere<T>(call: Parameters<typeof answer<T>>[0]): Promise<T | null> {
  try {
    return await answer(call);
  } catch (error) {
    if (error instanceof Problem && error.code === "not_found") return null;
    throw error;
  }
}

function isProblem(value: unknown): value is ProblemDocument {
  return typeof value === "object" && value !== null && "detail" in value && "code" in value;
}

function plain(status: number, code: string, detail: string, hint: string): ProblemDocument {
  return { type: `urn:rondine:problem:${code}`, title: code, status, detail, code, where: "", hint, problems: [] };
}
