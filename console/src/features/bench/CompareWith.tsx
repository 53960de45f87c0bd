import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";

const SIGNS = { added: "+", removed: "−", changed: "≠", retyped: "≠" } as const;

/** What is otherwise in a response than in a kept sample, by place. */
export function CompareWith({ project, body }: { project: string; body: string }) {
  const [sample, setSample] = useState("");
  const samples = useQuery({ queryKey: ["samples", project], queryFn: async () => (await answer(api.GET("/api/v1/projects/{project}/samples", { params: { path: { project } } }))).items });
  const found = useQuery({
    queryKey: ["comparison", project, sample, body],
    enabled: sample !== "",
    retry: false,
    queryFn: () => answer(api.POST("/api/v1/projects/{project}/comparisons", { params: { path: { project } }, body: { before: sample, after: body } })),
  });
  if (!samples.data?.length) return <p className="text-sm opacity-80">No sample is kept yet: keep a response as one, and later responses can be compared with it.</p>;
  return (
    <div className="min-h-0 overflow-auto text-xs">
      <label className="mb-2 flex items-center gap-2">
        against the sample
        <select className="select select-xs w-auto max-w-full" value={sample} onChange={(e) => setSample(e.target.value)}>
          <option value="">choose</option>
          {samples.data.map((one) => <option key={one.id} value={one.body}>{one.title || one.name}</option>)}
        </select>
      </label>
      <ProblemAlert error={found.error} />
      {found.data && (found.data.differences.length === 0 ? <p className="text-sm">They are the same, whatever their formatting.</p> : (
        <table className="w-full">
          <thead><tr className="text-left text-secondary"><th className="w-5" /><th className="py-1 pr-3 font-medium">place</th><th className="pr-3 font-medium">in the sample</th><th className="font-medium">now</th></tr></thead>
          <tbody className="font-mono">
            {found.data.differences.map((one) => (
              <tr key={one.path + one.kind} className="border-t border-base-300 align-top">
                <td className={one.kind === "added" ? "text-success" : one.kind === "removed" ? "text-error" : "text-accent"} title={one.kind}>{SIGNS[one.kind]}</td>
                <td className="py-1 pr-3 break-all">{one.path}</td>
                <td className="pr-3 break-all">{one.before}</td>
                <td className="break-all">{one.after}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ))}
      {found.data && !found.data.is_all && <p className="mt-1 opacity-75">The first {found.data.differences.length} differences.</p>}
    </div>
  );
}
