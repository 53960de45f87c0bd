import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { useName } from "../../ui/naming";
import { Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";

type Rule = Schemas["NamingRule"];

/** The rule by which names are proposed everywhere in the project, with what comes of it. */
export function Naming({ project }: { project: string }) {
  const cache = useQueryClient();
  const found = useQuery({
    queryKey: ["naming", project],
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/naming", { params: { path: { project } } })),
  });
  const change = useMutation({
    mutationFn: (rule: Rule) =>
      answer(api.PUT("/api/v1/projects/{project}/naming", { params: { path: { project } }, body: { rule } })),
    onSuccess: () => {
      for (const key of ["naming", "name"]) void cache.invalidateQueries({ queryKey: [key, project] });
    },
  });
  const mayBuild = usePermission(project, "build");
  const rule = found.data?.rule ?? {};
  const set = (part: Partial<Rule>) => change.mutate({ ...rule, ...part });
  const operation = useName(project, "operation", "List old trees", "Tree register").name;
  const feed = useName(project, "feed", "Old trees", "Tree register").name;
  const field = useName(project, "field", "Girth in metres").name;
  return (
    <section className="mt-9 mb-9">
      <Heading>Names</Heading>
      <p className="mb-2 text-sm">Names are proposed by one rule; changing it renames nothing.</p>
      <fieldset disabled={!mayBuild} className="flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <label className="flex items-center gap-2">
          Words are parted by
          <select
            className="select select-sm w-20 font-mono"
            value={rule.separator ?? "-"}
            onChange={(e) => set({ separator: e.target.value as "-" | "_" })}
          >
            <option>-</option>
            <option>_</option>
          </select>
        </label>
        <label className="flex items-center gap-2">
          in fields by
          <select
            className="select select-sm w-20 font-mono"
            value={rule.field_separator ?? "_"}
            onChange={(e) => set({ field_separator: e.target.value as "-" | "_" })}
          >
            <option>_</option>
            <option>-</option>
          </select>
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={rule.service_first ?? false}
            onChange={(e) => set({ service_first: e.target.checked })}
          />{" "}
          operations, mappings and feeds begin with their service
        </label>
        <label className="flex items-center gap-2">
          feeds begin with
          <input
            key={rule.feeds_begin}
            className="input input-sm w-24 font-mono"
            placeholder="nothing"
            defaultValue={rule.feeds_begin ?? "all"}
            onBlur={(e) => e.target.value !== (rule.feeds_begin ?? "all") && set({ feeds_begin: e.target.value })}
          />
        </label>
      </fieldset>
      <p className="mt-2 text-xs opacity-80">
        such as <span className="font-mono">{[operation, feed, field].filter(Boolean).join(" · ")}</span>
      </p>
      <ProblemAlert error={found.error ?? change.error} />
    </section>
  );
}
