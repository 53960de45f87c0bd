import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api/client";
import { everyItem } from "../../ui/pages";
import type { OperationDocument } from "./bench";

/** What responses may be described by: the schemas and samples of the project that were imported alone. */
function useDescriptions(project: string) {
  return useQuery({
    queryKey: ["descriptions", project],
    queryFn: async () => {
      const found = await everyItem((page) =>
        answer(api.GET("/api/v1/projects/{project}/definitions", { params: { path: { project }, query: page } })),
      );
      return found.flatMap((one) =>
        (one.document.roots ?? []).map((root) => ({ definition: one.name, root, format: one.document.format ?? "" })),
      );
    },
  });
}

/** Says by which imported schema good responses are; trials are held against it. */
export function DescribedBy({
  project,
  document,
  onDocument,
}: {
  project: string;
  document: OperationDocument;
  onDocument: (document: OperationDocument) => void;
}) {
  const offers = useDescriptions(project).data ?? [];
  const responses = document.responses ?? [];
  const held = responses.find((one) => one.status.startsWith("2"));
  const reference = (held?.schema as { $ref?: unknown } | null | undefined)?.$ref;
  const target = typeof reference === "string" ? reference.replace("#/$defs/", "") : "";
  const value = held?.definition ? `${held.definition} ${target}` : "";
  if (offers.length === 0 && !held) return null;
  const choose = (chosen: string) => {
    const others = responses.filter((one) => one !== held);
    const [definition, root] = chosen.split(" ");
    const schema = { $ref: `#/$defs/${root}` } as unknown as Record<string, never>; // JSON Schema has no type in the API's description
    onDocument({
      ...document,
      responses:
        chosen && definition && root ? [...others, { status: held?.status ?? "200", schema, definition }] : others,
    });
  };
  return (
    <label className="mb-2 flex flex-wrap items-center gap-2 text-xs">
      Good responses are described by
      <select
        className="select select-xs w-auto max-w-full font-mono"
        value={value}
        onChange={(event) => choose(event.target.value)}
      >
        <option value="">
          {held && !held.definition ? `the operation's own definition (${held.status})` : "nothing"}
        </option>
        {offers.map((one) => (
          <option key={`${one.definition} ${one.root}`} value={`${one.definition} ${one.root}`}>
            {one.definition} › {one.root} · {one.format}
          </option>
        ))}
      </select>
    </label>
  );
}
