import { useState } from "react";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type Usual, useMakeUsual, useUsual } from "./services";

/** The usual operations of a resource, proposed from its path; each can be edited or left out before they are made. */
export function UsualForm({ project, service }: { project: string; service: string }) {
  const [isOpen, setOpen] = useState(false);
  const [given, setGiven] = useState({ path: "", record_type: "", key: "id" });
  const [proposed, setProposed] = useState<(Usual & { isWanted: boolean })[]>([]);
  const propose = useUsual(project);
  const make = useMakeUsual(project, service);
  if (!isOpen)
    return (
      <button type="button" className="link link-hover cursor-pointer text-accent" onClick={() => setOpen(true)}>
        Describe the usual six
      </button>
    );
  const change = (at: number, part: Partial<Usual & { isWanted: boolean }>) =>
    setProposed(proposed.map((one, number) => (number === at ? { ...one, ...part } : one)));
  const wanted = proposed.filter((one) => one.isWanted);
  return (
    <div className="mt-2 w-full rounded-box border border-base-300 p-3">
      <form
        className="grid gap-x-3 sm:grid-cols-3"
        onSubmit={(event) => {
          event.preventDefault();
          propose.mutate(given, {
            onSuccess: (found) => setProposed(found.map((one) => ({ ...one, isWanted: true }))),
          });
        }}
      >
        <Field label="Path of the resource">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono"
              placeholder="/v1/trees"
              value={given.path}
              onChange={(e) => setGiven({ ...given, path: e.target.value })}
            />
          )}
        </Field>
        <Field label="Record type" hint="if there is one: its fields go into bodies">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono"
              value={given.record_type}
              onChange={(e) => setGiven({ ...given, record_type: e.target.value })}
            />
          )}
        </Field>
        <Field label="Key in the path">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono"
              value={given.key}
              onChange={(e) => setGiven({ ...given, key: e.target.value })}
            />
          )}
        </Field>
        <div className="flex gap-2 sm:col-span-3">
          <button className="btn btn-sm" disabled={!given.path || propose.isPending}>
            Propose
          </button>
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => setOpen(false)}>
            Close
          </button>
        </div>
      </form>
      <ProblemAlert error={propose.error ?? make.error} />
      {proposed.map((one, number) => (
        <div key={one.name} className="mt-1 flex flex-wrap items-center gap-2 text-sm">
          <label className="flex w-40 items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={one.isWanted}
              onChange={(e) => change(number, { isWanted: e.target.checked })}
            />{" "}
            {one.title}
          </label>
          <span className="w-16 font-mono text-xs">{one.document.method ?? "GET"}</span>
          <input
            className="input input-xs min-w-0 flex-1 font-mono"
            aria-label={`path of ${one.title}`}
            value={one.document.path ?? "/"}
            onChange={(e) => change(number, { document: { ...one.document, path: e.target.value } })}
          />
        </div>
      ))}
      {proposed.length > 0 && (
        <button
          type="button"
          className="btn btn-primary btn-sm mt-2"
          disabled={wanted.length === 0 || make.isPending}
          onClick={() => make.mutate(wanted, { onSuccess: () => setOpen(false) })}
        >
          Make {wanted.length} operations
        </button>
      )}
    </div>
  );
}
