import { Heading, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEndSessions, useUserSessions } from "./applications";

const MOST = 8;

/** The users of an application who are signed in at services with accounts of their own; nothing is shown if nobody
 * is. */
export function SignedInUsers({
  project,
  application,
  mayAdminister,
}: {
  project: string;
  application: string;
  mayAdminister: boolean;
}) {
  const sessions = useUserSessions(project, application);
  const end = useEndSessions(project, application);
  if (!sessions.data?.length) return <ProblemAlert error={sessions.error} />;
  const more = sessions.data.length - MOST;
  return (
    <div className="mt-4">
      <Heading>Users who are signed in at services</Heading>
      <ul className="max-w-3xl text-sm">
        {sessions.data.slice(0, MOST).map((one) => (
          <li key={one.id} className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-1">
            <span className="font-medium">{one.caller || "a user without a name"}</span>
            <span>at {one.service}</span>
            <span className="text-xs opacity-80">
              {one.is_begun ? "is at the page of consent" : `since ${when(one.made_at)}, until ${when(one.expires_at)}`}
            </span>
          </li>
        ))}
      </ul>
      {more > 0 && <p className="text-xs opacity-80">and {more.toLocaleString()} more</p>}
      {mayAdminister && (
        <button type="button" className="btn btn-sm mt-2" disabled={end.isPending} onClick={() => end.mutate()}>
          Sign all of them out
        </button>
      )}
      <ProblemAlert error={end.error} />
    </div>
  );
}
