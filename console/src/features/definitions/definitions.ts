import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answer, api, Problem, type ProblemDocument, type Schemas } from "../../api/client";

export type Look = Schemas["DefinitionShown"];
export type Offered = Schemas["OfferedOperation"];
export type Comparison = Schemas["ComparisonShown"];
export type Source = Pick<
  Schemas["SourceGivenRequest"],
  "address" | "files" | "definition" | "introspect" | "look" | "part"
>;
type ImportGiven = Schemas["ImportGivenRequest"];

/** "1 input", "2 inputs". */
export function count(number: number, word: string): string {
  return `${number} ${word}${number === 1 ? "" : "s"}`;
}

/** What a call gives that could also have told line by line how far it has come. */
const plain = <T>(call: Promise<T>) => call as Promise<Exclude<T, string>>;

const within = (project: string) => ({ params: { path: { project } } });

/** Files of an upload as the API takes them: texts as text, everything else in base64. */
export async function filesOf(chosen: FileList | File[]): Promise<NonNullable<Source["files"]>> {
  return Promise.all(
    Array.from(chosen).map(async (file) => {
      const name = file.webkitRelativePath || file.name;
      const bytes = new Uint8Array(await file.arrayBuffer());
      try {
        return { name, text: new TextDecoder("utf-8", { fatal: true }).decode(bytes) };
      } catch {
        let binary = "";
        for (let at = 0; at < bytes.length; at += 0x8000)
          binary += String.fromCharCode(...bytes.subarray(at, at + 0x8000));
        return { name, base64: btoa(binary) };
      }
    }),
  );
}

/** Reads a definition; nothing is written. It can be stopped. */
export function useLook(project: string) {
  const under = useRef<AbortController | null>(null);
  const [progress, setProgress] = useState<Progress | null>(null);
  const look = useMutation({
    mutationFn: async ({ source, service }: { source: Source; service: string }): Promise<Look> => {
      under.current = new AbortController();
      setProgress(null);
      const params = { path: { project }, query: { progress: true } };
      const stream = await answer(
        api.POST("/api/v1/projects/{project}/definition-previews", {
          params,
          body: { ...source, service },
          signal: under.current.signal,
          parseAs: "stream",
        }),
      );
      for await (const line of linesOf(stream as unknown as ReadableStream<Uint8Array<ArrayBuffer>>)) {
        const told = JSON.parse(line) as { progress?: Progress; result?: Look; problem?: ProblemDocument };
        if (told.progress) setProgress(told.progress);
        if (told.problem) throw new Problem(told.problem);
        if (told.result) return told.result;
      }
      throw new Error("the answer broke off");
    },
  });
  const stop = () => {
    under.current?.abort();
    look.reset();
  };
  return { ...look, stop, progress };
}

/** How far the reading has come: what is counted, how many are done, of how many. */
export interface Progress {
  what: string;
  done: number;
  of: number;
}

async function* linesOf(stream: ReadableStream<Uint8Array<ArrayBuffer>>): AsyncGenerator<string> {
  const reader = stream.pipeThrough(new TextDecoderStream()).getReader();
  let held = "";
  for (;;) {
    const { done, value } = await reader.read();
    const parts = (held + (value ?? "")).split("\n");
    held = parts.pop() ?? "";
    for (const one of parts) if (one) yield one;
    if (done) return;
  }
}

/** The inputs of one operation and what else is known of it, of a definition that was looked at. */
export function useDetails(project: string, source: Source, key: string) {
  return useQuery({
    queryKey: ["details", project, source.look, source.part, key],
    staleTime: Infinity,
    queryFn: async () =>
      (
        await plain(
          answer(
            api.POST("/api/v1/projects/{project}/definition-previews", {
              ...within(project),
              body: { look: source.look, part: source.part, operations: [key], details: true },
            }),
          ),
        )
      ).operations[0]?.details ?? null,
  });
}

/** The fields of the record types that a definition that was looked at brings. */
export function useTypeFields(project: string, source: Source, isWanted: boolean) {
  return useQuery({
    queryKey: ["type fields", project, source.look, source.part],
    enabled: isWanted,
    staleTime: Infinity,
    queryFn: async () => {
      const found = await plain(
        answer(
          api.POST("/api/v1/projects/{project}/definition-previews", {
            ...within(project),
            body: { look: source.look, part: source.part, operations: [], details: true },
          }),
        ),
      );
      return Object.fromEntries(
        found.record_types.map((one) => [
          one.name,
          (one.fields ?? []).map((field) => `${field.name}: ${field.type}`).join("\n"),
        ]),
      );
    },
  });
}

/** The first rows of an operation that is only described so far; nothing is stored. */
export function useRows(project: string) {
  return useMutation({
    mutationFn: (body: Source & { key: string; service: string }) =>
      answer(
        api.POST("/api/v1/projects/{project}/row-previews", { ...within(project), body: { ...body, inputs: {} } }),
      ),
  });
}

/** Seconds since something began, while it goes on. */
export function useSeconds(isRunning: boolean): number {
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    if (!isRunning) return;
    const timer = setInterval(() => setSeconds((now) => now + 1), 1000);
    return () => {
      clearInterval(timer);
      setSeconds(0);
    };
  }, [isRunning]);
  return seconds;
}

function useAfterwards(project: string) {
  const cache = useQueryClient();
  return () => {
    for (const key of ["services", "definition", "operation", "obstacles"])
      void cache.invalidateQueries({ queryKey: [key, project] });
  };
}

export function useImport(project: string) {
  const onSuccess = useAfterwards(project);
  return useMutation({
    mutationFn: (body: ImportGiven) =>
      answer(api.POST("/api/v1/projects/{project}/imports", { ...within(project), body })),
    onSuccess,
  });
}

const one = (project: string, name: string) => ({ params: { path: { project, name } } });

export function useDefinition(project: string, name: string) {
  return useQuery({
    queryKey: ["definition", project, name],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/definitions/{name}", one(project, name))),
  });
}

export function useCompare(project: string, name: string) {
  return useMutation({
    mutationFn: (source: Source) =>
      answer(
        api.POST("/api/v1/projects/{project}/definitions/{name}/compare", { ...one(project, name), body: source }),
      ),
  });
}

export function useUpdate(project: string, name: string) {
  const onSuccess = useAfterwards(project);
  return useMutation({
    mutationFn: (body: Source & { hash: string; accept: string[]; add: string[] }) =>
      answer(api.POST("/api/v1/projects/{project}/definitions/{name}/update", { ...one(project, name), body })),
    onSuccess,
  });
}
