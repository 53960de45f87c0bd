import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { everyItem } from "../../ui/pages";
import { ProblemAlert } from "../../ui/ProblemAlert";

const SIGNS = { added: "+", removed: "−", changed: "≠", retyped: "≠", reordered: "⇅" } as const;
const PASTED = "pasted";

/**
 * What differs between two responses, by place: a kept sample, the response before, or a pasted text, which is not
 * kept.
 */
export function CompareWith({ project, body, before }: { project: string; body: string; before: string | null }) {
  const [other, setOther] = useState("");
  const [text, setText] = useState("");
  const samples = useQuery({
    queryKey: ["samples", project],
    queryFn: () =>
      everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/samples", { params: { path: { project }, query: page } })),
      ),
  });
  const stored = useQuery({
    queryKey: ["comparison", project, other, body],
    enabled: other !== "" && other !== PASTED,
    retry: false,
    queryFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/comparisons", {
          params: { path: { project } },
          body: { before: other, after: body },
        }),
      ),
  });
  const pasted = useMutation({ mutationFn: () => compareText(project, body, text) });
  const found = other === PASTED ? pasted.data : stored.data;
  return (
    <div className="min-h-0 overflow-auto text-xs">
      <label className="mb-2 flex items-center gap-2">
        against
        <select className="select select-xs w-auto max-w-full" value={other} onChange={(e) => setOther(e.target.value)}>
          <option value="">choose</option>
          {before && before !== body && <option value={before}>the response before</option>}
          <option value={PASTED}>a text that I paste</option>
          {samples.data?.map((one) => (
            <option key={one.id} value={one.body}>
              sample {one.title || one.name}
            </option>
          ))}
        </select>
      </label>
      {other === PASTED && (
        <form
          className="mb-2"
          onSubmit={(event) => {
            event.preventDefault();
            pasted.mutate();
          }}
        >
          <textarea
            className="textarea h-28 w-full font-mono text-xs"
            aria-label="The text to compare with"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <button className="btn btn-xs mt-1" disabled={!text.trim() || pasted.isPending}>
            {pasted.isPending ? "Comparing" : "Compare"}
          </button>
        </form>
      )}
      <ProblemAlert error={other === PASTED ? pasted.error : stored.error} />
      {found && <Differences found={found} />}
    </div>
  );
}

function Differences({ found }: { found: Schemas["ComparisonOfBodies"] }) {
  if (found.differences.length === 0) return <p className="text-sm">They are the same, whatever their formatting.</p>;
  return (
    <>
      <table className="w-full">
        <thead>
          <tr className="text-left text-secondary">
            <th className="w-5" />
            <th className="py-1 pr-3 font-medium">place</th>
            <th className="pr-3 font-medium">there</th>
            <th className="font-medium">now</th>
          </tr>
        </thead>
        <tbody className="font-mono">
          {found.differences.map((one) => (
            <tr key={one.path + one.kind} className="border-t border-base-300 align-top">
              <td
                className={
                  one.kind === "added" ? "text-success" : one.kind === "removed" ? "text-error" : "text-accent"
                }
                title={one.kind}
              >
                {SIGNS[one.kind]}
              </td>
              <td className="min-w-36 py-1 pr-3 break-all">{one.path}</td>
              {one.kind === "reordered" ? (
                <td className="pr-3 font-sans">the same elements</td>
              ) : (
                <td className="pr-3 break-all">
                  <span className="line-clamp-3" title={one.before}>
                    {one.before}
                  </span>
                </td>
              )}
              {one.kind === "reordered" ? (
                <td className="font-sans">in another order</td>
              ) : (
                <td className="break-all">
                  <span className="line-clamp-3" title={one.after}>
                    {one.after}
                  </span>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {!found.is_all && <p className="mt-1 opacity-75">The first {found.differences.length} differences.</p>}
    </>
  );
}

/** Both as files, which the service reads and does not keep. */
async function compareText(project: string, body: string, text: string): Promise<Schemas["ComparisonOfBodies"]> {
  const response = await fetch(`/api/v1/projects/${project}/bodies/${body}/content`);
  const form = new FormData();
  form.append("content", new Blob([text]), "pasted");
  form.append("content", await response.blob(), "response");
  return answer(
    api.POST("/api/v1/projects/{project}/readings/comparison", {
      params: { path: { project } },
      body: form as never,
      bodySerializer: () => form,
    }),
  );
}
