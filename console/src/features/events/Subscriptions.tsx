import { useState } from "react";
import { KindForm } from "../../ui/KindForm";
import { Heading, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Place, type Placed } from "./Place";
import {
  type Draft,
  type Subscription,
  useChangeSubscription,
  useMakeSubscription,
  useRemoveSubscription,
  useSubscriptionForms,
  useSubscriptions,
} from "./subscriptions";

/** Who is told of what. */
export function Subscriptions({ project, mayBuild }: { project: string; mayBuild: boolean }) {
  const subscriptions = useSubscriptions(project);
  const [isOpen, setIsOpen] = useState(false);
  return (
    <section className="mb-9">
      <Heading
        aside={
          mayBuild && !isOpen ? (
            <button type="button" className="btn btn-xs" onClick={() => setIsOpen(true)}>
              Tell somebody
            </button>
          ) : null
        }
      >
        Who is told
      </Heading>
      <ProblemAlert error={subscriptions.error} />
      {isOpen && <Make project={project} onDone={() => setIsOpen(false)} />}
      {subscriptions.data?.length === 0 && !isOpen && (
        <p className="text-sm opacity-80">
          Nobody is told of anything yet. People can be told by e-mail when a feed fails, recovers or is late;
          applications by signed webhook, also of every change of kept records, and of the end of their calls.
        </p>
      )}
      {subscriptions.data?.map((item) => (
        <OneSubscription key={item.id} project={project} item={item} mayBuild={mayBuild} />
      ))}
    </section>
  );
}

function OneSubscription({ project, item, mayBuild }: { project: string; item: Subscription; mayBuild: boolean }) {
  const change = useChangeSubscription(project);
  const remove = useRemoveSubscription(project);
  const isOn = item.document.enabled !== false;
  return (
    <article className="mb-5 border-t border-base-300 pt-2">
      <div className="flex flex-wrap items-center gap-2">
        <h3 className="font-semibold">{item.title || item.name}</h3>
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
  if (about.type === "calls") {
    const ends = about.ends?.length ? ` (${about.ends.join(", ")})` : "";
    return `the end of calls in the background of ${about.applications?.length ? about.applications.join(", ") : "all applications"}${ends}`;
  }
  if (about.type === "flows") {
    const which = about.events?.length ? about.events.join(", ") : "what happens";
    return `${which} in runs of ${about.flows?.length ? about.flows.join(", ") : "all flows"}`;
  }
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
      <Place project={project} keyLabel="Signed with" placed={draft} onPlaced={(placed: Placed) => set(placed)} />
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
