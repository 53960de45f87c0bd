import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Heading, Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { SchemaForm } from "../../ui/SchemaForm";

type Settings = NonNullable<Schemas["ServiceDocument"]["stand_in"]>;

/** What stands in for a service while that is away: where it is, how it behaves, and what it responds with. */
export function StandIn({ project, service }: { project: string; service: Schemas["Service"] }) {
  const cache = useQueryClient();
  const shown = useQuery({
    queryKey: ["services", project, "stand-in", service.name, service.version],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/services/{name}/stand-in", {
          params: { path: { project, name: service.name } },
        }),
      ),
  });
  const set = useMutation({
    mutationFn: (stand_in: Settings | null) =>
      answer(
        api.PATCH("/api/v1/projects/{project}/services/{name}", {
          params: { path: { project, name: service.name }, header: { "If-Match": `"${service.version}"` } },
          body: { document: { ...service.document, stand_in } },
        }),
      ),
    onSettled: () => cache.invalidateQueries({ queryKey: ["services", project] }),
  });
  const [changed, setChanged] = useState<Settings | null>(null);
  if (!shown.data)
    return shown.error ? <ProblemAlert error={shown.error} /> : <Waiting what="Looking at the stand-in" />;
  const { address, is_on: isOn, operations, form } = shown.data;
  const responding = operations.filter((one) => one.responds !== "nothing");
  return (
    <section className="mb-6">
      <Heading aside={isOn && <Tag tone="busy">on</Tag>}>Stand-in</Heading>
      <p className="mb-2 max-w-prose text-sm">
        To develop while the service is away: {responding.length} of its {operations.length} operations can respond,
        with samples that are kept, or with what is invented as their responses are described.
      </p>
      {isOn && (
        <>
          <p className="mb-2 text-sm">
            Base address of a connection to it, to be kept to yourselves:{" "}
            <code className="font-mono text-xs break-all select-all">{address}</code>
          </p>
          <details className="mb-2 text-sm" open={changed !== null}>
            <summary className="cursor-pointer">How it behaves</summary>
            <form
              className="mt-2"
              onSubmit={(event) => {
                event.preventDefault();
                if (changed) set.mutate(changed, { onSuccess: () => setChanged(null) });
              }}
            >
              <SchemaForm
                fields={form.fields}
                values={{ ...(changed ?? service.document.stand_in) }}
                onValues={(values) => setChanged(values)}
              />
              <button type="submit" className="btn btn-sm" disabled={!changed || set.isPending}>
                Behave so
              </button>
            </form>
          </details>
          <details className="mb-2 text-sm">
            <summary className="cursor-pointer">What it responds with</summary>
            <ul className="mt-1">
              {operations.map((one) => (
                <li key={one.name} className="border-t border-base-300 py-1">
                  <span className="font-mono text-xs">{one.name}</span>{" "}
                  <Tag tone={one.responds === "nothing" ? "bad" : one.responds === "sample" ? "good" : undefined}>
                    {one.responds}
                  </Tag>{" "}
                  <span className="text-xs opacity-80">{one.words}</span>
                </li>
              ))}
            </ul>
          </details>
        </>
      )}
      <ProblemAlert error={set.error} />
      <button
        type="button"
        className="btn btn-sm"
        disabled={set.isPending}
        onClick={() => set.mutate(isOn ? null : (service.document.stand_in ?? {}))}
      >
        {isOn ? "Switch it off" : "Let something stand in for it"}
      </button>
    </section>
  );
}
