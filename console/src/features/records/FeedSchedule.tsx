import { useState } from "react";
import type { Schemas } from "../../api/client";
import { KindForm } from "../../ui/KindForm";
import { Heading, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { type Schedule, useChangeFeed, useScheduleForms } from "./records";

interface Props {
  project: string;
  feed: Schemas["Feed"];
  mayBuild: boolean;
}

/** When a feed runs by itself: told in words, paused and resumed, set by the form of its kind. */
export function FeedSchedule({ project, feed, mayBuild }: Props) {
  const change = useChangeFeed(project);
  const forms = useScheduleForms(project);
  const [draft, setDraft] = useState<Schedule | null>(null);
  const [isOpen, setIsOpen] = useState(false);
  const schedule = feed.document.schedule;
  const save = (next: Schedule | null, then = () => {}) =>
    change.mutate({ feed, document: { ...feed.document, schedule: next ?? undefined } }, { onSuccess: then });
  const open = () => {
    setDraft(schedule ?? null);
    setIsOpen(true);
  };
  return (
    <section className="mb-6">
      <Heading>Schedule</Heading>
      <p className="text-sm">
        {feed.schedule_words ? `Runs ${feed.schedule_words}` : "Runs only when it is asked to"}
        {feed.due_at && `, next ${when(feed.due_at)}`}.{" "}
        {mayBuild && !isOpen && (
          <>
            <button type="button" className="link text-xs" onClick={open}>
              set it
            </button>{" "}
            {schedule && (
              <button
                type="button"
                className="link text-xs"
                disabled={change.isPending}
                onClick={() => save({ ...schedule, enabled: schedule.enabled === false })}
              >
                {schedule.enabled === false ? "resume" : "pause"}
              </button>
            )}
          </>
        )}
      </p>
      {feed.refusal && (
        <p className="mt-2 border-l-2 border-warning pl-2 text-sm">
          {when(feed.refusal.at)}, when it was due, nothing was started: {feed.refusal.message}. {feed.refusal.hint}
        </p>
      )}
      <ProblemAlert error={change.error} />
      {isOpen && (
        <form
          className="mt-2 max-w-2xl border-l border-base-300 pl-3"
          onSubmit={(event) => {
            event.preventDefault();
            save(draft, () => setIsOpen(false));
          }}
        >
          <KindForm
            id="schedule-kind"
            label="Kind"
            none="only when asked"
            forms={forms}
            value={draft}
            onValue={setDraft}
          />
          <p className="mb-2 text-xs opacity-80">{forms.find((one) => one.type === draft?.type)?.words}</p>
          <div className="mt-2 flex gap-2">
            <button type="submit" className="btn btn-primary btn-sm" disabled={change.isPending}>
              Save the schedule
            </button>
            <button type="button" className="btn btn-sm" onClick={() => setIsOpen(false)}>
              Leave it
            </button>
          </div>
        </form>
      )}
    </section>
  );
}
