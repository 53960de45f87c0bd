import { type ReactNode, useState } from "react";
import type { Schemas } from "../../api/client";
import { Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useChangeFeed } from "./records";

type FeedDocument = Schemas["FeedDocument"];

interface Props<T> {
  project: string;
  feed: Schemas["Feed"];
  title: string;
  /** What is set, in words, and what else can be done about it. */
  words: ReactNode;
  held: T;
  /** The document with the part as it was changed. */
  changed: (draft: T) => FeedDocument;
  /** The form; none for who may not build. */
  form: ((draft: T, onDraft: (draft: T) => void) => ReactNode) | null;
}

/** One part of what a feed is set to: told in words, and changed by its form. */
export function FeedPart<T>({ project, feed, title, words, held, changed, form }: Props<T>) {
  const change = useChangeFeed(project);
  const [draft, setDraft] = useState<T | undefined>();
  return (
    <section className="mb-6">
      <Heading>{title}</Heading>
      <div className="text-sm">
        {words}{" "}
        {form && draft === undefined && (
          <button type="button" className="link text-xs" aria-label={`Set ${title}`} onClick={() => setDraft(held)}>
            set it
          </button>
        )}
      </div>
      <ProblemAlert error={change.error} />
      {form && draft !== undefined && (
        <form
          className="mt-2 max-w-2xl border-l border-base-300 pl-3"
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate({ feed, document: changed(draft) }, { onSuccess: () => setDraft(undefined) });
          }}
        >
          {form(draft, setDraft)}
          <div className="mt-2 flex gap-2">
            <button type="submit" className="btn btn-primary btn-sm" disabled={change.isPending}>
              Save {title.toLowerCase()}
            </button>
            <button type="button" className="btn btn-sm" onClick={() => setDraft(undefined)}>
              Leave it
            </button>
          </div>
        </form>
      )}
    </section>
  );
}
