import { useState } from "react";
import { Link, useParams } from "react-router";
import { KindForm } from "../../ui/KindForm";
import { NotYet, Page } from "../../ui/Layout";
import { Empty, Field, Heading, Tag, when } from "../../ui/parts";
import { More } from "../../ui/pages";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironments, usePermission } from "../session/session";
import {
  type Draft,
  type Subscription,
  useChangeSubscription,
  useCredentialNames,
  useEvents,
  useMakeSubscription,
  useRemoveSubscription,
  useSubscriptionForms,
  useSubscriptions,
} from "./subscriptions";

/** Who is told of what; and what happened to feeds. */
export default function Subscriptions() {
  const { project = "" } = useParams();
  const found = useSubscriptions(project);
  const mayBuild = usePermission(project, "build");
  const [isOpen, setIsOpen] = useState(false);
  if (found.isPending || found.error)
    return <NotYet title="Subscriptions" what="Reading the subscriptions" error={found.error} />;
  return (
    <Page
      title="Subscriptions"
      aside={
        mayBuild &&
        !isOpen && (
          <button type="button" className="btn btn-sm ml-auto" onClick={() => setIsOpen(true)}>
            Tell somebody
          </button>
        )
      }
    >
      {isOpen && <Make project={project} onDone={() => setIsOpen(false)} />}
      {found.data.length === 0 && !isOpen && (
        <Empty title="Nobody is told of anything yet">
          People can be told by e-mail when a feed fails, recovers or is late; applications by signed webhook, also of
          every change of kept records.
        </Empty>
      )}
      {found.data.map((item) => (
        <OneSubscription key={item.id} project={project} item={item} mayBuild={mayBuild} />
      ))}
      <Events project={project} />
    </Page>
  );
}

function OneSubscription({ project, item, mayBuild }: { project: string; item: Subscription; mayBuild: boolean }) {
  const change = useChangeSubscription(project);
  const remove = useRemoveSubscription(project);
  const isOn = item.document.enabled !== false;
  return (
    <article className="mb-5 border-t border-base-300 pt-2">
      <div className="flex flex-wrap items-center gap-2">
        <h2 className="font-semibold">{item.title || item.name}</h2>
        <Tag>{item.environment}</Tag>
        {!isOn && <Tag tone="busy">off</Tag>}
        {mayBuild && (
          <span className="ml-auto flex gap-1">
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              disabled={change.isPending}
              onClick={() => change.mutate({ item, document: { ...item.document, enabled: !isOn } })}
            >
              {isOn ? "Switch off" : "Switch on"}
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              disabled={remove.isPending}
              onClick={() => remove.mutate(item)}
            >
              Remove
            </button>
          </span>
        )}
      </div>
      <p className="text-sm">
        Tells {aboutWords(item)} {byWords(item)}. {item.told.toLocaleString("en")} told
        {item.told_at && `, the last on ${when(item.told_at)}`}.
      </p>
      {item.problems.map((problem) => (
        <p key={problem.where + problem.message} className="border-l-2 border-warning pl-2 text-sm">
          {problem.message}. {problem.hint}
        </p>
      ))}
      {item.error && (
        <p className="border-l-2 border-error pl-2 text-sm">
          {item.failures === 1 ? "The last message was" : `The last ${item.failures} tries were`} not taken:{" "}
          {item.error.message}. {item.error.hint}
        </p>
      )}
      <ProblemAlert error={change.error ?? remove.error} />
    </article>
  );
}

function aboutWords({ document: { about } }: Subscription): string {
  if (about.type === "records")
    return `what happens to records of ${about.record_type}${about.kinds?.length ? ` (${about.kinds.join(", ")})` : ""}`;
  const events = about.events?.length ? about.events.join(", ").replace("_", " ") : "what happens";
  return `${events} to ${about.feeds?.length ? `feed ${about.feeds.join(", ")}` : "all feeds"}`;
}

function byWords({ document: { by }, credential }: Subscription): string {
  if (by.type === "email") return `by e-mail to ${by.to.join(", ")}`;
  return `to ${by.address}${credential ? `, signed with ${credential}` : ", unsigned"}`;
}

const BEGUN: Draft = {
  name: "",
  environment: "test",
  credential: null,
  document: { about: { type: "feeds" }, by: { type: "webhook", address: "" } },
};

function Make({ project, onDone }: { project: string; onDone: () => void }) {
  const forms = useSubscriptionForms(project);
  const environments = useEnvironments(project);
  const credentials = useCredentialNames(project);
  const make = useMakeSubscription(project);
  const [draft, setDraft] = useState(BEGUN);
  const set = (change: Partial<Draft>) => setDraft({ ...draft, ...change });
  const setDocument = (change: Partial<Draft["document"]>) => set({ document: { ...draft.document, ...change } });
  if (!forms.data) return <ProblemAlert error={forms.error} />;
  return (
    <form
      className="mb-6 max-w-3xl border-l border-base-300 pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(draft, { onSuccess: onDone });
      }}
    >
      <div className="grid gap-x-4 sm:grid-cols-3">
        <Field label="Name">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full"
              value={draft.name}
              onChange={(event) => set({ name: event.target.value })}
            />
          )}
        </Field>
        <Field label="Environment">
          {(id) => (
            <select
              id={id}
              className="select select-sm w-full"
              value={draft.environment}
              onChange={(event) => set({ environment: event.target.value })}
            >
              {environments.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Signed with" hint="a credential with a signing_key">
          {(id) => (
            <select
              id={id}
              className="select select-sm w-full"
              value={draft.credential ?? ""}
              onChange={(event) => set({ credential: event.target.value || null })}
            >
              <option value="">none</option>
              {(credentials.data ?? [])
                .filter((one) => one.environment === draft.environment)
                .map((one) => (
                  <option key={one.name}>{one.name}</option>
                ))}
            </select>
          )}
        </Field>
      </div>
      <KindForm
        id="about"
        label="Of what"
        none="choose"
        forms={forms.data.about}
        value={draft.document.about}
        onValue={(about) => about && setDocument({ about })}
      />
      <KindForm
        id="by"
        label="How"
        none="choose"
        forms={forms.data.by}
        value={draft.document.by}
        onValue={(by) => by && setDocument({ by })}
      />
      <ProblemAlert error={make.error} />
      <div className="flex gap-2">
        <button type="submit" className="btn btn-primary btn-sm" disabled={make.isPending || !draft.name}>
          Tell them from now on
        </button>
        <button type="button" className="btn btn-sm" onClick={onDone}>
          Leave it
        </button>
      </div>
    </form>
  );
}

function Events({ project }: { project: string }) {
  const events = useEvents(project);
  return (
    <section className="mt-8">
      <Heading aside={<span className="text-xs opacity-75">each told once, until it has recovered</span>}>
        What happened to feeds
      </Heading>
      {!events.isPending && events.items.length === 0 && (
        <p className="text-sm opacity-80">Nothing worth telling has happened.</p>
      )}
      <ol className="text-sm">
        {events.items.map((event) => (
          <li key={event.id} className="grid gap-x-3 border-b border-base-300 py-1.5 sm:grid-cols-[13rem_1fr]">
            <span className="text-xs opacity-80">{when(event.at)}</span>
            <span>
              <Link className="link" to={`../feeds/${event.feed}`}>
                {event.feed}
              </Link>{" "}
              <Tag tone={event.kind === "recovered" ? "good" : "bad"}>{event.kind.replace("_", " ")}</Tag>{" "}
              {event.message}{" "}
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
