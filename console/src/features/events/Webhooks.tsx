import { useState } from "react";
import { Link } from "react-router";
import { KindForm } from "../../ui/KindForm";
import { Field, Heading, StateTag, Tag, when } from "../../ui/parts";
import { More } from "../../ui/pages";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Place, type Placed } from "./Place";
import {
  useDeliveries,
  useMakeWebhook,
  useRemoveWebhook,
  useWebhookForms,
  useWebhooks,
  type Webhook,
  type WebhookDraft,
} from "./webhooks";

/** Where services send what they have to say by themselves. */
export function Webhooks({ project, mayBuild }: { project: string; mayBuild: boolean }) {
  const webhooks = useWebhooks(project);
  const [isOpen, setIsOpen] = useState(false);
  return (
    <section className="mb-9">
      <Heading
        aside={
          mayBuild && !isOpen ? (
            <button type="button" className="btn btn-xs" onClick={() => setIsOpen(true)}>
              Let a service send
            </button>
          ) : null
        }
      >
        What services send
      </Heading>
      <ProblemAlert error={webhooks.error} />
      {isOpen && <Make project={project} onDone={() => setIsOpen(false)} />}
      {webhooks.data?.length === 0 && !isOpen && (
        <p className="text-sm opacity-80">
          No service sends anything yet. One that can sends its changes to an address here, signed; they become records,
          or start a feed.
        </p>
      )}
      {webhooks.data?.map((item) => (
        <OneWebhook key={item.id} project={project} item={item} mayBuild={mayBuild} />
      ))}
    </section>
  );
}

/** What becomes of what comes, in words. */
function wordsOf(becomes: Webhook["document"]["becomes"]): string {
  if (becomes.type === "records") return `Become records by ${becomes.mapping}`;
  if (becomes.type === "run") return `Start feed ${becomes.feed}`;
  return becomes.flow ? `Let waiting runs go on, or begin flow ${becomes.flow}` : "Let waiting runs of flows go on";
}

function OneWebhook({ project, item, mayBuild }: { project: string; item: Webhook; mayBuild: boolean }) {
  const remove = useRemoveWebhook(project);
  const [isOpen, setIsOpen] = useState(false);
  const deliveries = useDeliveries(project, item.name, isOpen);
  const { becomes } = item.document;
  return (
    <article className="mb-4 border-t border-base-300 pt-2">
      <div className="flex flex-wrap items-center gap-2">
        <h3 className="font-semibold">{item.title || item.name}</h3>
        <Tag>{item.environment}</Tag>
        {item.document.enabled === false && <Tag tone="busy">off</Tag>}
        {mayBuild && (
          <button
            type="button"
            className="btn btn-ghost btn-xs ml-auto"
            disabled={remove.isPending}
            onClick={() => remove.mutate(item)}
          >
            Remove
          </button>
        )}
      </div>
      <p className="text-sm">
        <code className="text-xs break-all">
          {window.location.origin}
          {item.path}
        </code>
        <br />
        {wordsOf(becomes)}
        {item.credential && `, verified with ${item.credential}`}.{" "}
        {item.last_at ? `The last came on ${when(item.last_at)}` : "Nothing has come yet"}
        {item.waiting > 0 && `, ${item.waiting} wait`}.{" "}
        <button type="button" className="link text-xs" aria-expanded={isOpen} onClick={() => setIsOpen(!isOpen)}>
          {isOpen ? "hide what came" : "show what came"}
        </button>
      </p>
      {item.problems.map((problem) => (
        <p key={problem.where + problem.message} className="border-l-2 border-warning pl-2 text-sm">
          {problem.message}. {problem.hint}
        </p>
      ))}
      <ProblemAlert error={remove.error} />
      {isOpen && (
        <ol className="mt-1 text-xs">
          {deliveries.items.map((delivery) => (
            <li key={delivery.id} className="flex flex-wrap gap-x-3 border-b border-base-300 py-1">
              <span className="opacity-80">{when(delivery.at)}</span>
              <StateTag state={delivery.state} />
              <span className="font-mono break-all">{delivery.mark}</span>
              {delivery.repeated > 0 && <span>came again {delivery.repeated} times</span>}
              {delivery.error && <span className="text-error">{delivery.error.message}</span>}
              {delivery.run && (
                <Link className="link" to={`/p/${project}/runs/${delivery.run}`}>
                  run {delivery.run}
                </Link>
              )}
            </li>
          ))}
          <More list={deliveries} what="deliveries" />
        </ol>
      )}
    </article>
  );
}

const BEGUN: WebhookDraft = {
  name: "",
  environment: "test",
  credential: null,
  document: { proof: { type: "standard" }, becomes: { type: "records", mapping: "" } },
};

function Make({ project, onDone }: { project: string; onDone: () => void }) {
  const forms = useWebhookForms(project);
  const make = useMakeWebhook(project);
  const [draft, setDraft] = useState(BEGUN);
  const setDocument = (change: Partial<WebhookDraft["document"]>) =>
    setDraft({ ...draft, document: { ...draft.document, ...change } });
  if (!forms.data) return <ProblemAlert error={forms.error} />;
  return (
    <form
      className="mb-6 max-w-3xl border-l border-base-300 pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(draft, { onSuccess: onDone });
      }}
    >
      <Place
        project={project}
        keyLabel="Verified with"
        placed={draft}
        onPlaced={(placed: Placed) => setDraft({ ...draft, ...placed })}
      />
      <KindForm
        id="proof"
        label="How it proves who it is"
        none="choose"
        forms={forms.data.proof}
        value={draft.document.proof}
        onValue={(proof) => proof && setDocument({ proof })}
      />
      <KindForm
        id="becomes"
        label="What becomes of it"
        none="choose"
        forms={forms.data.becomes}
        value={draft.document.becomes}
        onValue={(becomes) => becomes && setDocument({ becomes })}
      />
      <Field label="Told apart by" hint="a header; left blank, by their content">
        {(id) => (
          <input
            id={id}
            className="input input-sm w-full max-w-60 font-mono text-xs"
            value={draft.document.id_header ?? "webhook-id"}
            onChange={(event) => setDocument({ id_header: event.target.value })}
          />
        )}
      </Field>
      <ProblemAlert error={make.error} />
      <div className="flex gap-2">
        <button type="submit" className="btn btn-primary btn-sm" disabled={make.isPending || !draft.name}>
          Make the address
        </button>
        <button type="button" className="btn btn-sm" onClick={onDone}>
          Leave it
        </button>
      </div>
    </form>
  );
}
