import type { Schemas } from "../../api/client";
import { KindForm } from "../../ui/KindForm";
import { when } from "../../ui/parts";
import { FeedPart } from "./FeedPart";
import { type Schedule, useChangeFeed, useFeedForms } from "./records";

interface Props {
  project: string;
  feed: Schemas["Feed"];
  mayBuild: boolean;
}

/** When a feed runs by itself: told in words, paused and resumed, set by the form of its kind. */
export function FeedSchedule({ project, feed, mayBuild }: Props) {
  const change = useChangeFeed(project);
  const forms = useFeedForms(project)?.schedules ?? [];
  const schedule = feed.document.schedule ?? null;
  const withSchedule = (next: Schedule | null) => ({ ...feed.document, schedule: next ?? undefined });
  return (
    <FeedPart
      project={project}
      feed={feed}
      title="Schedule"
      held={schedule}
      changed={withSchedule}
      words={
        <>
          {feed.schedule_words ? `Runs ${feed.schedule_words}` : "Runs only when it is asked to"}
          {feed.due_at && `, next ${when(feed.due_at)}`}.{" "}
          {mayBuild && schedule && (
            <button
              type="button"
              className="link text-xs"
              disabled={change.isPending}
              onClick={() =>
                change.mutate({ feed, document: withSchedule({ ...schedule, enabled: schedule.enabled === false }) })
              }
            >
              {schedule.enabled === false ? "resume" : "pause"}
            </button>
          )}
          {feed.refusal && (
            <p className="mt-2 border-l-2 border-warning pl-2">
              {when(feed.refusal.at)}, when it was due, nothing was started: {feed.refusal.message}. {feed.refusal.hint}
            </p>
          )}
        </>
      }
      form={
        mayBuild
          ? (draft, onDraft) => (
              <>
                <KindForm
                  id="schedule-kind"
                  label="Kind"
                  none="only when asked"
                  forms={forms}
                  value={draft}
                  onValue={onDraft}
                />
                <p className="mb-2 text-xs opacity-80">{forms.find((one) => one.type === draft?.type)?.words}</p>
              </>
            )
          : null
      }
    />
  );
}
