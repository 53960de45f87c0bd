import { Link } from "react-router";
import { Advice } from "../../ui/Advice";
import { Heading, Tag } from "../../ui/parts";
import { useObstacles } from "./environments";

const PAGE: Record<string, string> = { connection: "connections", operation: "operations", feed: "feeds" };

/** Everything that is set up but cannot start, with every reason, in one place. */
export function Obstacles({ project }: { project: string }) {
  const found = useObstacles(project);
  if (!found.data || found.data.length === 0) return null;
  return (
    <section className="mb-7">
      <Heading>Cannot start</Heading>
      <ul className="text-sm">
        {found.data.map((one) => (
          <li key={one.kind + one.name} className="mb-2 border-l-2 border-warning pl-3">
            {one.kind}{" "}
            <Link className="link font-medium" to={`${PAGE[one.kind]}/${one.name}`}>
              {one.name}
            </Link>{" "}
            {one.environment && <Tag>{one.environment}</Tag>}
            <ul>
              {one.reasons.map((reason) => (
                <li key={reason.where + reason.message}>
                  {reason.message}
                  {reason.hint && (
                    <span className="text-xs opacity-75">
                      {" "}
                      · <Advice hint={reason.hint} />
                    </span>
                  )}
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
    </section>
  );
}
