import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { Heading, StateTag, Tag, Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { useRemoveItem, useWhereUsed, type ItemUse, type RemovableKind } from "./finding";
import { placeOf } from "./places";

/** As many as are shown at once. */
const SHOWN = 12;

export interface RemovableItem {
  project: string;
  /** As in addresses. */
  kind: RemovableKind;
  word: string;
  name: string;
  /** That is seen here; of what is not shown itself, none. */
  version?: number;
  /** The page after it is removed, from the project on. */
  after: string;
}

/** What uses an item, how each of these went the last time, and with that before one's eyes, its removal. */
export function WhereUsed({ item, isAlone = false }: { item: RemovableItem; isAlone?: boolean }) {
  const uses = useWhereUsed(item.project, item.kind, item.name);
  const mayBuild = usePermission(item.project, "build");
  return (
    <section className={isAlone ? "" : "my-7"}>
      <Heading>Where it is used</Heading>
      <ProblemAlert error={uses.error} />
      {uses.isPending && <Waiting what="Looking" />}
      {uses.data && (
        <>
          {uses.data.every((one) => one.belongs) && <p className="text-sm opacity-80">Nothing uses it.</p>}
          <Uses project={item.project} uses={uses.data.filter((one) => !one.belongs)} />
          <Belonging project={item.project} uses={uses.data.filter((one) => one.belongs)} />
        </>
      )}
      {uses.data && mayBuild && <Removal item={item} uses={uses.data} />}
    </section>
  );
}

/** What goes with it, and holds nothing back; pages show most of it elsewhere. */
function Belonging({ project, uses }: { project: string; uses: ItemUse[] }) {
  if (uses.length === 0) return null;
  const words = [...new Set(uses.map((one) => one.word))].map((word) => {
    const count = uses.filter((one) => one.word === word).length;
    return `${count} ${word}${count === 1 ? "" : "s"}`;
  });
  return (
    <details className="mt-2 text-sm">
      <summary className="cursor-pointer opacity-80">
        {words.join(", ")} belong{uses.length === 1 ? "s" : ""} to it
      </summary>
      <Uses project={project} uses={uses} />
    </details>
  );
}

function Uses({ project, uses }: { project: string; uses: ItemUse[] }) {
  const [isAll, setAll] = useState(uses.length <= SHOWN);
  return (
    <>
      <ul className="text-sm">
        {uses.slice(0, isAll ? undefined : SHOWN).map((one) => {
          const place = placeOf(one);
          return (
            <li
              key={one.kind + one.name}
              className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-1"
            >
              <span title={one.how}>
                {one.word}{" "}
                {place ? (
                  <Link className="link font-medium" to={`/p/${project}/${place}`}>
                    {one.title || one.name}
                  </Link>
                ) : (
                  <span className="font-medium">{one.title || one.name}</span>
                )}
              </span>
              {one.environment && <Tag>{one.environment}</Tag>}
              {one.last && (
                <span className="text-xs opacity-90">
                  <StateTag state={one.last.state} /> {when(one.last.at)}{" "}
                  {one.last.run !== null && (
                    <Link className="link" to={`/p/${project}/runs/${one.last.run}`}>
                      run {one.last.run}
                    </Link>
                  )}{" "}
                  {one.last.words}
                </span>
              )}
            </li>
          );
        })}
      </ul>
      {!isAll && (
        <button type="button" className="btn btn-xs mt-2" onClick={() => setAll(true)}>
          Show all {uses.length}
        </button>
      )}
    </>
  );
}

/** Removes it after a second word. What uses it has to go first; what belongs to it goes with it. */
function Removal({ item, uses }: { item: RemovableItem; uses: ItemUse[] }) {
  const { project, kind, word, name, version, after } = item;
  const [isAsking, setAsking] = useState(false);
  const navigate = useNavigate();
  const remove = useRemoveItem(project, kind, name);
  const holding = uses.filter((one) => !one.belongs);
  const belonging = uses.length - holding.length;
  if (holding.length > 0)
    return (
      <p className="mt-3 text-sm opacity-80">
        This {word} cannot be removed while{" "}
        {holding.length === 1 ? `the ${holding[0]?.word ?? ""} uses it` : `${holding.length} others use it`}.
      </p>
    );
  const all = ["", " and the one that belongs to it"][belonging] ?? ` and the ${belonging} that belong to it`;
  return (
    <div className="mt-3">
      <ProblemAlert error={remove.error} />
      {isAsking ? (
        <p role="alertdialog" aria-label={`Remove the ${word}`} className="flex flex-wrap items-center gap-3 text-sm">
          <span>
            Remove {word} <span className="font-mono">{name}</span>
            {all}? Its revisions stay; it does not come back by itself.
          </span>
          <button
            type="button"
            className="btn btn-error btn-sm"
            disabled={remove.isPending}
            onClick={() =>
              remove.mutate(
                { version, withItsItems: belonging > 0 },
                { onSuccess: () => navigate(`/p/${project}/${after}`) },
              )
            }
          >
            {remove.isPending ? "Removing" : "Remove"}
          </button>
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => setAsking(false)}>
            Keep it
          </button>
        </p>
      ) : (
        <button type="button" className="btn btn-sm" onClick={() => setAsking(true)}>
          Remove this {word}
        </button>
      )}
    </div>
  );
}
