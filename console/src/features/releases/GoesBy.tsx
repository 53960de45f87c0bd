import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Advice } from "../../ui/Advice";
import { Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { called, type State, useChecklist, useGoOver, useRollBack, useSwitches } from "./releases";

/** What an environment lacks, until all of it is asked for. */
const SHOWN = 4;

/** What an environment goes by, since when, and how it goes over to something else. */
export function GoesBy({
  project,
  environment,
  releases,
}: {
  project: string;
  environment: Schemas["Environment"];
  releases: Schemas["Release"][];
}) {
  const { name, release } = environment;
  const mayBuild = usePermission(project, "build");
  const isAdministrator = usePermission(project, "administer");
  const last = useSwitches(project, name).data?.[0];
  const rollBack = useRollBack(project);
  const [isChoosing, setChoosing] = useState(false);
  const may = mayBuild && (!environment.is_protected || isAdministrator);
  return (
    <article className="border-t-2 border-base-300 pt-2">
      <div className="flex flex-wrap items-baseline gap-2">
        <h3 className="font-semibold">{environment.title || name}</h3>
        {environment.is_protected && <Tag tone="busy">protected</Tag>}
        <span className="text-lg">{called(release)}</span>
        {may && !isChoosing && (
          <span className="ml-auto flex gap-1">
            {last && !last.is_back && (
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                disabled={rollBack.isPending}
                onClick={() => rollBack.mutate(name)}
              >
                Back to {called(last.before)}
              </button>
            )}
            <button type="button" className="btn btn-xs" onClick={() => setChoosing(true)}>
              Go over to ...
            </button>
          </span>
        )}
      </div>
      {last && (
        <p className="text-xs opacity-80">
          since {when(last.at)}
          {last.by && `, ${last.by}`}, {last.is_back ? "back from" : "before"} {called(last.before)}
          {last.why && `: ${last.why}`}
        </p>
      )}
      {isChoosing ? (
        <Choice project={project} environment={environment} releases={releases} onDone={() => setChoosing(false)} />
      ) : (
        <Lacking project={project} name={name} state={release} />
      )}
      <ProblemAlert error={rollBack.error} />
    </article>
  );
}

function Choice({
  project,
  environment,
  releases,
  onDone,
}: {
  project: string;
  environment: Schemas["Environment"];
  releases: Schemas["Release"][];
  onDone: () => void;
}) {
  const { name, release } = environment;
  const goOver = useGoOver(project);
  const states: State[] = [...releases.filter((one) => !one.withdrawn_at).map((one) => one.number), null];
  const choices = states.filter((state) => state !== release);
  const [chosen, setChosen] = useState<State>(choices[0] ?? null);
  const [why, setWhy] = useState("");
  if (choices.length === 0)
    return <p className="mt-1 text-sm">There is nothing else yet: make a release of the draft first.</p>;
  return (
    <form
      className="mt-2"
      onSubmit={(event) => {
        event.preventDefault();
        goOver.mutate({ name, release: chosen, why }, { onSuccess: onDone });
      }}
    >
      <div className="flex flex-wrap items-end gap-2">
        <label className="flex flex-col text-xs">
          To
          <select
            className="select select-sm"
            value={chosen ?? "draft"}
            onChange={(event) => setChosen(event.target.value === "draft" ? null : Number(event.target.value))}
          >
            {choices.map((state) => (
              <option key={state ?? "draft"} value={state ?? "draft"}>
                {called(state)}
              </option>
            ))}
          </select>
        </label>
        <label className="flex min-w-40 grow flex-col text-xs">
          Why
          <input className="input input-sm w-full" value={why} onChange={(event) => setWhy(event.target.value)} />
        </label>
        <button type="submit" className="btn btn-primary btn-sm" disabled={goOver.isPending}>
          Let {name} go by {called(chosen)}
        </button>
        <button type="button" className="btn btn-sm" onClick={onDone}>
          Leave it
        </button>
      </div>
      <Lacking project={project} name={name} state={chosen} />
      <ProblemAlert error={goOver.error} />
    </form>
  );
}

/** What the environment lacks to go by it, and who can give it. */
function Lacking({ project, name, state }: { project: string; name: string; state: State }) {
  const found = useChecklist(project, name, state);
  const [isWhole, setWhole] = useState(false);
  if (found.error) return <ProblemAlert error={found.error} />;
  if (!found.data) return null;
  if (found.data.length === 0)
    return (
      <p className="mt-2 border-l-2 border-success pl-2 text-sm">
        {name} has all that {called(state)} needs.
      </p>
    );
  return (
    <ul className="mt-2 text-sm">
      {found.data.slice(0, isWhole ? undefined : SHOWN).map((one) => (
        <li key={one.what + one.message} className="mb-1 border-l-2 border-warning pl-2">
          <span className="font-medium">{one.what}</span>: {one.message}{" "}
          <span className="text-xs opacity-75">
            {one.hint && (
              <>
                · <Advice hint={one.hint} />{" "}
              </>
            )}
            · {one.who}
          </span>
        </li>
      ))}
      {found.data.length > SHOWN && !isWhole && (
        <li>
          <button type="button" className="link text-xs" onClick={() => setWhole(true)}>
            and {found.data.length - SHOWN} more
          </button>
        </li>
      )}
    </ul>
  );
}
