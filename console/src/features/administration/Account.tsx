import { type FormEvent, useState } from "react";
import { Page } from "../../ui/Layout";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useSession } from "../session/session";
import { useChangePassword, useMakeToken } from "./administration";
import { Once } from "./Once";
import { Tokens } from "./Tokens";

/** One's own tokens and password. */
export default function Account() {
  const session = useSession();
  return (
    <Page title={session.data ? `${session.data.title} (${session.data.name})` : "Account"}>
      <section className="mb-9">
        <Heading>Tokens</Heading>
        <p className="mb-2 text-sm opacity-80">
          Programs and commands that carry one act as you. Revoke what you do not know.
        </p>
        <Tokens person="" />
        <NewToken />
      </section>
      <section className="max-w-sm">
        <Heading>Password</Heading>
        <NewPassword />
      </section>
    </Page>
  );
}

const LIVES = [
  ["30", "30 days"],
  ["90", "90 days"],
  ["365", "a year"],
  ["", "for ever"],
] as const;

function NewToken() {
  const make = useMakeToken();
  const [title, setTitle] = useState("");
  const [days, setDays] = useState("90");
  const add = (event: FormEvent) => {
    event.preventDefault();
    make.mutate({ title: title.trim(), days: days ? Number(days) : null }, { onSuccess: () => setTitle("") });
  };
  return (
    <>
      <form className="flex flex-wrap gap-2" onSubmit={add}>
        <input
          className="input input-sm w-72"
          aria-label="What the token is for"
          placeholder="what it is for"
          maxLength={200}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
        <select
          className="select select-sm w-32"
          aria-label="How long it lasts"
          value={days}
          onChange={(e) => setDays(e.target.value)}
        >
          {LIVES.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <button className="btn btn-sm" disabled={!title.trim() || make.isPending}>
          Make a token
        </button>
      </form>
      {make.data && <Once what={`The token for "${make.data.title}"`} text={make.data.token} />}
      <ProblemAlert error={make.error} />
    </>
  );
}

function NewPassword() {
  const change = useChangePassword();
  const [given, setGiven] = useState({ password: "", new_password: "", again: "" });
  const differs = given.again !== "" && given.again !== given.new_password;
  const save = (event: FormEvent) => {
    event.preventDefault();
    change.mutate(
      { password: given.password, new_password: given.new_password },
      { onSuccess: () => setGiven({ password: "", new_password: "", again: "" }) },
    );
  };
  const part = (name: keyof typeof given, label: string, complete: string, problem?: string) => (
    <Field label={label} problem={problem}>
      {(id) => (
        <input
          id={id}
          type="password"
          className="input input-sm w-full"
          autoComplete={complete}
          value={given[name]}
          onChange={(e) => setGiven({ ...given, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <form onSubmit={save}>
      {part("password", "Password up to now", "current-password")}
      {part("new_password", "New password", "new-password")}
      {part("again", "Once more", "new-password", differs ? "The two are not the same" : undefined)}
      <button
        className="btn btn-sm"
        disabled={!given.password || !given.new_password || given.again !== given.new_password || change.isPending}
      >
        Change it
      </button>
      <p className="mt-1 text-xs opacity-75">Your other sessions and all your tokens end with it.</p>
      {change.isSuccess && (
        <p role="status" className="mt-2 border-l-2 border-success pl-2 text-sm">
          Your password is changed.
        </p>
      )}
      <ProblemAlert error={change.error} />
    </form>
  );
}
