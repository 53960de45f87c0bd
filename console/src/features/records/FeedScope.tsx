import type { Schemas } from "../../api/client";
import { KindForm } from "../../ui/KindForm";
import { SchemaForm } from "../../ui/SchemaForm";
import { FeedPart } from "./FeedPart";
import { useFeedForms, useInputNames } from "./records";

interface Props {
  project: string;
  feed: Schemas["Feed"];
  mayBuild: boolean;
}

type Moving = NonNullable<Schemas["FeedDocument"]["moving"]>;

/** What a feed asks for: inputs that stay, and those that move with its runs. */
export function FeedInputs({ project, feed, mayBuild }: Props) {
  const forms = useFeedForms(project)?.moving ?? [];
  const fixed = Object.entries(feed.document.inputs ?? {});
  const names = useInputNames(project, feed.operation).filter((name) => !fixed.some(([other]) => other === name));
  if (names.length === 0 && fixed.length === 0) return null;
  const moving = Object.entries(feed.moving_words);
  return (
    <FeedPart<Moving>
      project={project}
      feed={feed}
      title="Inputs"
      held={feed.document.moving ?? {}}
      changed={(draft) => ({ ...feed.document, moving: draft })}
      words={
        <>
          {fixed.length + moving.length === 0 && "None is given."}
          {fixed.map(([name, value]) => (
            <p key={name}>
              <span className="font-mono text-xs text-secondary">{name}</span> {JSON.stringify(value)}
            </p>
          ))}
          {moving.map(([name, words]) => (
            <p key={name}>
              <span className="font-mono text-xs text-secondary">{name}</span> {words}
            </p>
          ))}
        </>
      }
      form={
        mayBuild && names.length > 0
          ? (draft, onDraft) =>
              names.map((name) => (
                <fieldset key={name} className="mb-3">
                  <KindForm
                    id={`moving-${name}`}
                    label={name}
                    none="does not move"
                    forms={forms}
                    value={draft[name]}
                    onValue={(value) => onDraft(withInput(draft, name, value))}
                  />
                  <p className="text-xs opacity-80">{forms.find((one) => one.type === draft[name]?.type)?.words}</p>
                </fieldset>
              ))
          : null
      }
    />
  );
}

function withInput(moving: Moving, name: string, value: Moving[string] | null): Moving {
  const next = { ...moving };
  if (value) next[name] = value;
  else delete next[name];
  return next;
}

/** What the operation is called for, one after another. */
export function FeedForEach({ project, feed, mayBuild }: Props) {
  const form = useFeedForms(project)?.for_each;
  const forEach = feed.document.for_each;
  const where = Object.entries(forEach?.where ?? {}).map(([name, value]) => `${name} ${value}`);
  return (
    <FeedPart<Record<string, unknown> | null>
      project={project}
      feed={feed}
      title="Calls"
      held={forEach ? { ...forEach } : null}
      changed={(draft) => ({ ...feed.document, for_each: draft ?? undefined })}
      words={
        !forEach
          ? "Asks once, for all that comes."
          : forEach.record_type
            ? `Asks once for each kept record of ${forEach.record_type}${where.length > 0 ? ` with ${where.join(", ")}` : ""}.`
            : `Asks once for each of ${forEach.values?.length ?? 0} values.`
      }
      form={
        mayBuild && form
          ? (draft, onDraft) => (
              <OptionalForm
                label="once for each of many"
                form={form}
                draft={draft}
                first={{ record_type: "" }}
                onDraft={onDraft}
              />
            )
          : null
      }
    />
  );
}

const told = (value: unknown) => (Array.isArray(value) ? value.join(", ") : String(value));

/** A form that is there once somebody wants it. */
function OptionalForm({
  label,
  form,
  draft,
  first,
  onDraft,
}: {
  label: string;
  form: Schemas["FormShown"];
  draft: Record<string, unknown> | null;
  first: Record<string, unknown>;
  onDraft: (draft: Record<string, unknown> | null) => void;
}) {
  return (
    <>
      <label className="mb-2 flex items-center gap-2 text-sm">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={draft !== null}
          onChange={(event) => onDraft(event.target.checked ? first : null)}
        />
        {label}
      </label>
      {draft && <SchemaForm fields={form.fields} values={draft} onValues={onDraft} />}
    </>
  );
}

/** When calls of its runs are sent again. */
export function FeedRetrying({ project, feed, mayBuild }: Props) {
  const form = useFeedForms(project)?.retrying;
  const retrying = feed.document.retrying;
  const set = form?.fields.filter((field) => retrying?.[field.name as keyof typeof retrying] !== undefined) ?? [];
  return (
    <FeedPart<Record<string, unknown> | null>
      project={project}
      feed={feed}
      title="Failures that pass"
      held={retrying ? { ...retrying } : null}
      changed={(draft) => ({ ...feed.document, retrying: draft })}
      words={
        !retrying
          ? "Calls are sent again as the connection says."
          : set.length === 0
            ? "Calls are sent again in the usual way, whatever the connection says."
            : set.map((field) => `${field.title}: ${told(retrying[field.name as keyof typeof retrying])}`).join(", ") +
              "."
      }
      form={
        mayBuild && form
          ? (draft, onDraft) => (
              <OptionalForm
                label="otherwise than the connection says"
                form={form}
                draft={draft}
                first={{}}
                onDraft={onDraft}
              />
            )
          : null
      }
    />
  );
}

/** What becomes of records that no longer come. */
export function FeedGone({ project, feed, mayBuild }: Props) {
  const form = useFeedForms(project)?.gone;
  const gone = feed.document.gone ?? {};
  const share = Math.round((gone.most_share ?? 0.2) * 100);
  return (
    <FeedPart<Record<string, unknown>>
      project={project}
      feed={feed}
      title="What no longer comes"
      held={{ ...gone }}
      changed={(draft) => ({ ...feed.document, gone: draft })}
      words={
        gone.action === "leave"
          ? "Stays as it is."
          : `Is marked as gone when a run has seen all, unless that is more than ${share}% of the feed's records.`
      }
      form={
        mayBuild && form
          ? (draft, onDraft) => <SchemaForm fields={form.fields} values={draft} onValues={onDraft} />
          : null
      }
    />
  );
}
