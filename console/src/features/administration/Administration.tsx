import { Link, useParams } from "react-router";
import { Page } from "../../ui/Layout";
import { Empty, Heading, Waiting, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Hosts } from "../environments/Hosts";
import { usePermission, useSession } from "../session/session";
import { useHosts } from "../environments/environments";
import { useMembers, usePeople, useProjects, useRemoveProject } from "./administration";
import { Members } from "./Members";
import { NewProject } from "./NewProject";
import { People } from "./People";

/** Who may do what where: members and hosts of the project, people and projects of the installation. */
export default function Administration() {
  const { project = "" } = useParams();
  const session = useSession();
  const isAdministrator = session.data?.is_administrator ?? false;
  const administers = usePermission(project, "administer");
  const people = usePeople(isAdministrator);
  // all lists come first, so that nothing moves away under somebody's hand
  const others = [useMembers(project, administers), useHosts(project), useProjects()];
  if (session.isPending || people.isLoading || others.some((one) => one.isLoading))
    return (
      <Page title="Administration">
        <Waiting what="Reading who there is" />
      </Page>
    );
  if (!isAdministrator && !administers) {
    const whom = session.data?.projects.find((one) => one.name === project)?.administrators.join(" or ");
    return (
      <Page title="Administration">
        <Empty title="This is for administrators">{whom ? `Ask ${whom}.` : "Ask one of this installation."}</Empty>
      </Page>
    );
  }
  return (
    <Page title="Administration">
      <ProblemAlert error={people.error} />
      <Members project={project} people={(people.data ?? []).map((one) => one.name)} />
      <div className="mb-9">
        <Hosts project={project} />
      </div>
      {isAdministrator && <Projects />}
      {isAdministrator && <People people={people.data ?? []} />}
    </Page>
  );
}

function Projects() {
  const found = useProjects();
  const remove = useRemoveProject();
  const mine = useSession().data?.projects.map((one) => one.name) ?? [];
  return (
    <section className="mb-9">
      <Heading>Projects of this installation</Heading>
      <ul className="mb-3 max-w-3xl text-sm">
        {(found.data ?? []).map((one) => (
          <li key={one.name} className="flex items-center gap-3 border-t border-base-300 py-1.5">
            {mine.includes(one.name) ? (
              <Link className="link font-medium" to={`/p/${one.name}`}>
                {one.title}
              </Link>
            ) : (
              <span className="font-medium">{one.title}</span>
            )}
            <span className="font-mono text-xs opacity-75">{one.name}</span>
            <span className="text-xs opacity-75">
              {one.members} member{one.members === 1 ? "" : "s"}, made {when(one.made_at)}
            </span>
            {mine.includes(one.name) && (
              <button
                type="button"
                className="btn btn-ghost btn-xs ml-auto"
                disabled={remove.isPending}
                onClick={() => remove.mutate(one.name)}
              >
                Remove
              </button>
            )}
          </li>
        ))}
      </ul>
      <ProblemAlert error={found.error ?? remove.error} />
      <NewProject />
    </section>
  );
}
