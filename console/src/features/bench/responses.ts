/** Responses on the bench: sent, pasted or kept as samples; and what is known of them. */

import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem } from "../../ui/pages";
import { type Trial } from "./bench";

/** The schema of a response, refined by the samples; of the response alone where a sample cannot be read with it. */
export function useOutline(
  project: string,
  body: string | null,
  samples: string[],
  corrections: Schemas["Correction"][],
) {
  return useQuery({
    queryKey: ["outline", project, body, samples, corrections],
    enabled: body !== null,
    staleTime: Infinity,
    placeholderData: (before) => before,
    queryFn: async () => {
      const ask = async (bodies: string[]) => ({
        ...(await answer(
          api.POST("/api/v1/projects/{project}/outlines", {
            params: { path: { project } },
            body: { bodies, corrections },
          }),
        )),
        samples: bodies.length,
      });
      if (samples.length === 0) return ask([body!]);
      return ask([body!, ...samples]).catch(() => ask([body!]));
    },
  });
}

export function samplesQuery(project: string, operation: string) {
  return queryOptions({
    queryKey: ["samples", project, operation],
    queryFn: () =>
      everyItem((page) =>
        answer(
          api.GET("/api/v1/projects/{project}/samples", {
            params: { path: { project }, query: { operation, ...page } },
          }),
        ),
      ),
  });
}

/** The samples that are kept of an operation, in the order of their names. */
export function useSamplesOf(project: string, operation: string) {
  return useQuery({ ...samplesQuery(project, operation), enabled: operation !== "" }).data ?? [];
}

export type Sample = ReturnType<typeof useSamplesOf>[number];

/** The bodies of samples that can be read together with a response of this format. */
export function bodiesBeside(body: string | null, format: string | undefined, samples: Sample[]): string[] {
  const isXml = format === "xml" || /xml/.test(samples.find((one) => one.body === body)?.media_type ?? "");
  return samples
    .filter((one) => one.body !== body && /xml/.test(one.media_type) === isXml)
    .slice(0, 19)
    .map((one) => one.body);
}

export function useKeepSample(project: string) {
  const cache = useQueryClient();
  return useMutation({
    onSuccess: () => cache.invalidateQueries({ queryKey: ["samples", project] }),
    mutationFn: (body: { name: string; run: number; operation: string | null }) =>
      answer(api.POST("/api/v1/projects/{project}/samples", { params: { path: { project } }, body })),
  });
}

/** A response pasted in place of one that was sent: kept as a sample, and looked at like a trial's. */
export function usePasted(project: string) {
  const cache = useQueryClient();
  return useMutation({
    onSuccess: () => cache.invalidateQueries({ queryKey: ["samples", project] }),
    mutationFn: async ({
      name,
      content,
      operation,
    }: {
      name: string;
      content: string | File;
      operation: string | null;
    }): Promise<Trial> => {
      const given = typeof content === "string" ? { text: content } : { base64: await base64(content) };
      const kept = await answer(
        api.POST("/api/v1/projects/{project}/samples", {
          params: { path: { project } },
          body: { name, ...given, operation },
        }),
      );
      return lookedAt(
        project,
        kept.body,
        typeof content === "string" ? content.length : content.size,
        typeof content === "string" ? "Pasted" : content.name,
      );
    },
  });
}

function base64(file: File): Promise<string> {
  return new Promise((done, fail) => {
    const reader = new FileReader();
    reader.onload = () => done((reader.result as string).replace(/^[^,]*,/, ""));
    reader.onerror = () => fail(reader.error ?? new Error(`${file.name} cannot be read`));
    reader.readAsDataURL(file);
  });
}

/** A kept sample in place of a response that was sent. */
export function useLookAt(project: string) {
  return useMutation({
    mutationFn: (sample: Sample) =>
      lookedAt(project, sample.body, sample.size, `Sample ${sample.title || sample.name}`),
  });
}

/** A stored body, to be looked at like a trial's. reason: what it is, in place of a status. */
async function lookedAt(project: string, body: string, size: number, reason: string): Promise<Trial> {
  const outline = await answer(
    api.POST("/api/v1/projects/{project}/outlines", { params: { path: { project } }, body: { bodies: [body] } }),
  );
  const call = {
    number: 0,
    method: "",
    url: "",
    request: "",
    status: 0,
    reason,
    headers: [],
    size,
    timings: null,
    rows: null,
    error: null,
    purpose: "",
    via: "",
    by: "",
    operation: "",
    task: "",
    body,
    at: new Date().toISOString(),
  };
  return {
    run: 0,
    body,
    format: "",
    unreadable: "",
    row_choices: outline.row_choices,
    paging: [],
    described: "",
    differences: [],
    notes: [],
    outcome: { is_good: true, words: "", hint: "", message: "", kind: "good" },
    call,
  };
}
