import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironments } from "../session/session";

const NOTES = [
  ["base_address", "Where all its paths begin", "an address, such as https://register.example/v1"],
  ["key_from", "Where to get a key or account", "a page, a person, a form"],
  ["example", "An example address", "whole, as its documentation writes it"],
] as const;

/** What is known of a service and what is still to find out; it becomes a connection and a first operation. */
export function Preparation({
  project,
  service,
  isConnected,
  readOnly,
}: {
  project: string;
  service: Schemas["Service"];
  isConnected: boolean;
  readOnly: boolean;
}) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  const environments = useEnvironments(project);
  const facts = useQuery({
    queryKey: ["preparation", project, service.name, service.version],
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/services/{name}/preparation", {
          params: { path: { project, name: service.name } },
        }),
      ),
  });
  const [notes, setNotes] = useState<Record<string, string>>({
    documentation: service.document.documentation ?? "",
    ...Object.fromEntries(NOTES.map(([name]) => [name, service.document.preparation?.[name] ?? ""])),
  });
  const fresh = () => void cache.invalidateQueries({ queryKey: ["services", project] });
  const note = useMutation({
    mutationFn: () => {
      const { documentation, ...rest } = notes;
      const document = {
        ...service.document,
        documentation,
        preparation: { ...service.document.preparation, ...rest },
      };
      return answer(
        api.PATCH("/api/v1/projects/{project}/services/{name}", {
          params: { path: { project, name: service.name }, header: { "If-Match": `"${service.version}"` } },
          body: { document },
        }),
      );
    },
    onSettled: fresh,
  });
  const connect = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/projects/{project}/services/{name}/preparation", {
          params: { path: { project, name: service.name } },
          body: { environment: environments.includes("test") ? "test" : environments[0] },
        }),
      ),
    onSuccess: (made) => navigate(`/p/${project}/connections/${made.connection}`),
    onSettled: fresh,
  });
  const [isOpen, setOpen] = useState(!isConnected);
  const known = facts.data?.filter((one) => one.value).length ?? 0;
  return (
    <details className="mb-3 text-sm" open={isOpen} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer">
        What is known of it: {known} of {facts.data?.length ?? "…"}
      </summary>
      {isOpen && (
        <div className="mt-2 grid gap-6 md:grid-cols-2">
          <ul>
            {facts.data?.map((one) => (
              <li key={one.name} className={`mb-1 border-l-2 pl-2 ${one.value ? "border-success" : "border-base-300"}`}>
                <span className="font-medium">{one.title}</span>:{" "}
                {one.value ? (
                  <span className="break-all">
                    {one.value} <span className="text-xs opacity-75">{one.source}</span>
                  </span>
                ) : (
                  <span className="opacity-75">not known yet; {one.hint}</span>
                )}
              </li>
            ))}
          </ul>
          {!readOnly && (
            <form
              onSubmit={(event) => {
                event.preventDefault();
                note.mutate();
              }}
            >
              {([["documentation", "Its documentation", "an address"], ...NOTES] as const).map(
                ([name, title, hint]) => (
                  <Field key={name} label={title} hint={hint}>
                    {(id) => (
                      <input
                        id={id}
                        className="input input-sm w-full"
                        value={notes[name] ?? ""}
                        onChange={(e) => setNotes({ ...notes, [name]: e.target.value })}
                      />
                    )}
                  </Field>
                ),
              )}
              <ProblemAlert error={note.error ?? connect.error} />
              <button className="btn btn-sm" disabled={note.isPending}>
                Note it
              </button>
              {!isConnected && (
                <button
                  type="button"
                  className="btn btn-primary btn-sm ml-2"
                  disabled={
                    connect.isPending ||
                    !(service.document.preparation?.base_address || service.document.preparation?.example)
                  }
                  onClick={() => connect.mutate()}
                >
                  Connect it from what is noted
                </button>
              )}
            </form>
          )}
        </div>
      )}
    </details>
  );
}
