import { useState } from "react";
import { Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useSignIn, type At, type UsableOperation } from "./use";

/** Calls are made as the user who has signed in at the service: here, who tries them. */
export function OwnSignIn({
  at,
  signIn,
  onSessions,
}: {
  at: At;
  signIn: NonNullable<UsableOperation["sign_in"]>;
  onSessions: (sessions: At["sessions"]) => void;
}) {
  const begin = useSignIn(at);
  const [given, setGiven] = useState<Record<string, string>>({});
  if (at.sessions[signIn.service])
    return (
      <p className="mb-3 flex flex-wrap items-center gap-2 text-sm">
        <Tag tone="good">signed in at {signIn.service}</Tag> Calls are made as you, until you leave this page.
      </p>
    );
  return (
    <form
      className="mb-3 border-l-2 border-accent pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        begin.mutate(
          { service: signIn.service, given },
          { onSuccess: ({ service, session }) => onSessions({ ...at.sessions, [service]: session }) },
        );
      }}
    >
      <p className="mb-2 max-w-prose text-sm">
        Each user signs in at {signIn.service} with an account of their own, and calls are made as that user. Sign in to
        try one; the session stays in this page.
      </p>
      <div className="flex flex-wrap items-end gap-3">
        {signIn.asks.map((name) => (
          <label key={name} className="flex min-w-44 flex-col text-xs">
            {name.replace("_", " ")} at {signIn.service}
            <input
              className="input input-sm"
              type={name === "user_name" ? "text" : "password"}
              autoComplete="off"
              required
              value={given[name] ?? ""}
              onChange={(event) => setGiven({ ...given, [name]: event.target.value })}
            />
          </label>
        ))}
        <button type="submit" className="btn btn-sm" disabled={begin.isPending}>
          {begin.isPending ? "Waiting for the service" : `Sign in at ${signIn.service}`}
        </button>
      </div>
      <ProblemAlert error={begin.error} />
    </form>
  );
}
