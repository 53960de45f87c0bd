import { useEffect, useRef, useState } from "react";
import { onSignInNeeded } from "../../api/client";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useSession, useSignIn } from "./session";

function SignInForm({ onDone }: { onDone?: () => void }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const signIn = useSignIn();
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        signIn.mutate({ name, password }, { onSuccess: onDone });
      }}
    >
      <Field label="Name">
        {(id) => (
          <input
            id={id}
            className="input w-full"
            value={name}
            onChange={(e) => setName(e.target.value)}
            autoComplete="username"
            autoFocus
            required
          />
        )}
      </Field>
      <Field label="Password">
        {(id) => (
          <input
            id={id}
            type="password"
            className="input w-full"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            autoComplete="current-password"
            required
          />
        )}
      </Field>
      <ProblemAlert error={signIn.error} />
      <button className="btn btn-primary mt-3 w-full" disabled={signIn.isPending}>
        {signIn.isPending ? "Signing in" : "Sign in"}
      </button>
    </form>
  );
}

export function SignInPage() {
  return (
    <div className="flex min-h-screen items-center justify-center bg-base-200 p-4 text-base-content">
      <div className="w-full max-w-sm rounded-box border border-base-300 bg-base-100 p-6">
        <h1 className="mb-1 flex items-center gap-2 text-xl font-semibold">
          <img src="/assets/swift.svg" alt="" className="size-7" /> rondine
        </h1>
        <p className="mb-5 text-sm opacity-80">From outside services to records you can rely on.</p>
        <SignInForm />
        <p className="mt-4 text-xs opacity-70">
          The demo's names and passwords were printed by ./start and stand in var/people.txt.
        </p>
      </div>
    </div>
  );
}

/** Asks to sign in again over the page as it is, so that nothing typed is lost. */
export function SignInAgain() {
  const dialog = useRef<HTMLDialogElement>(null);
  const session = useSession();
  const [isNeeded, setNeeded] = useState(false);
  useEffect(() => onSignInNeeded(() => setNeeded(true)), []);
  const isOpen = isNeeded && session.data !== undefined;
  useEffect(() => {
    if (isOpen) dialog.current?.showModal();
  }, [isOpen]);
  if (!isOpen) return null;
  return (
    <dialog ref={dialog} className="modal" aria-label="Sign in again" onCancel={(event) => event.preventDefault()}>
      <div className="modal-box max-w-sm">
        <h2 className="mb-1 text-lg font-semibold">Your session has ended</h2>
        <p className="mb-4 text-sm opacity-80">Sign in again to go on here. What you have typed is still there.</p>
        <SignInForm onDone={() => setNeeded(false)} />
      </div>
    </dialog>
  );
}
