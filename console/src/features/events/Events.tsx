import { Link, useParams } from "react-router";
import { Page } from "../../ui/Layout";
import { Heading, Tag, when } from "../../ui/parts";
import { More } from "../../ui/pages";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePermission } from "../session/session";
import { Subscriptions } from "./Subscriptions";
import { useEvents } from "./subscriptions";
import { Webhooks } from "./Webhooks";

/** What comes in by itself, who is told of what, and what happened to feeds and calls. */
export default function Events() {
  const { project = "" } = useParams();
  const mayBuild = usePermission(project, "build");
  return (
    <Page title="Events">
      <Webhooks project={project} mayBuild={mayBuild} />
      <Subscriptions project={project} mayBuild={mayBuild} />
      <Happened project={project} />
    </Page>
  );
}

const toneOf = (kind: string) => (kind === "recovered" ? "good" : kind.endsWith("ended") ? undefined : "bad");

function Happened({ project }: { project: string }) {
  const events = useEvents(project);
  return (
    <section>
      <Heading aside={<span className="text-xs opacity-75">each told once, until it has recovered</span>}>
        What happened to feeds and calls
      </Heading>
      <ProblemAlert error={events.error} />
      {!events.isPending && events.items.length === 0 && (
        <p className="text-sm opacity-80">Nothing worth telling has happened.</p>
      )}
      <ol className="text-sm">
        {events.items.map((event) => (
          <li key={event.id} className="grid gap-x-3 border-b border-base-300 py-1.5 sm:grid-cols-[13rem_1fr]">
            <span className="text-xs opacity-80">{when(event.at)}</span>
            <span>
              {event.application ? (
                <Link className="link" to="../applications">
                  {event.application}
                </Link>
              ) : (
                <Link className="link" to={`../feeds/${event.feed}`}>
                  {event.feed}
                </Link>
              )}{" "}
              <Tag tone={toneOf(event.kind)}>{event.kind.replace("_", " ")}</Tag> {event.message}{" "}
              {event.run && (
                <Link className="link text-xs" to={`../runs/${event.run}`}>
                  run {event.run}
                </Link>
              )}
            </span>
          </li>
        ))}
      </ol>
      <More list={events} what="events" />
    </section>
  );
}
