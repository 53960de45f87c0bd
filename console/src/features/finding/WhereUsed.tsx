import { Link } from "react-router";
import { Heading, StateTag, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useWhereUsed } from "./finding";
import { placeOf } from "./places";

/** What uses an item, and how each of these went the last time. kind: as in addresses. */
export function WhereUsed({ project, kind, name }: { project: string; kind: string; name: string }) {
  const uses = useWhereUsed(project, kind, name);
  return (
    <section className="my-7">
      <Heading>Where it is used</Heading>
      <ProblemAlert error={uses.error} />
      {uses.data?.length === 0 && <p className="text-sm opacity-80">Nothing uses it.</p>}
      <ul className="text-sm">
        {uses.data?.map((one) => {
          const place = placeOf(one);
          return (
            <li
              key={one.kind + one.name}
              className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-1"
            >
              <span>
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
    </section>
  );
}
