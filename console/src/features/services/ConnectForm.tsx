import { useState } from "react";
import { useNavigate } from "react-router";
import { useName } from "../../ui/naming";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironments } from "../session/session";
import { useConnect } from "./services";

/** Where a service is and how to sign in: makes the service with its first connection. */
export function ConnectForm({ project, onClose }: { project: string; onClose: () => void }) {
  const environments = useEnvironments(project);
  const [given, setGiven] = useState({ title: "", address: "", environment: "test", header: "", key: "" });
  const connect = useConnect(project);
  const navigate = useNavigate();
  const set = (name: keyof typeof given) => (event: { target: { value: string } }) =>
    setGiven({ ...given, [name]: event.target.value });
  const named = useName(project, "service", given.title);
  const service = named.name;
  const isPlain = /^http:\/\//i.test(given.address) && !/^http:\/\/(127\.|localhost|\[::1\])/i.test(given.address);
  return (
    <form
      className="mb-8 max-w-2xl rounded-box border border-base-300 bg-base-200 p-4"
      autoComplete="off"
      onSubmit={(event) => {
        event.preventDefault();
        connect.mutate(
          { ...given, service },
          { onSuccess: (made) => navigate(`/p/${project}/connections/${made.name}`) },
        );
      }}
    >
      <Heading>Where it is</Heading>
      <div className="grid gap-x-4 sm:grid-cols-2">
        <Field label="What the service is called" hint={named.words}>
          {(id) => (
            <input
              id={id}
              className="input w-full"
              placeholder="Tree register"
              value={given.title}
              onChange={set("title")}
              required
            />
          )}
        </Field>
        <Field label="Environment">
          {(id) => (
            <select id={id} className="select w-full" value={given.environment} onChange={set("environment")}>
              {environments.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <Field
        label="Base address"
        hint="scheme, host, port, and the path all its operations share"
        problem={isPlain ? "http is not encrypted: whoever listens on the way reads the key" : undefined}
      >
        {(id) => (
          <input
            id={id}
            className="input w-full font-mono text-sm"
            placeholder="https://register.example/v1"
            value={given.address}
            onChange={set("address")}
            required
          />
        )}
      </Field>
      <Heading>How to sign in</Heading>
      <div className="grid gap-x-4 sm:grid-cols-2">
        <Field
          label="Header that carries the API key"
          hint="leave it empty if it asks for nothing, or signs in another way: all other ways are on the next page"
        >
          {(id) => (
            <input
              id={id}
              className="input w-full font-mono text-sm"
              placeholder="X-Register-Key"
              value={given.header}
              onChange={set("header")}
            />
          )}
        </Field>
        {given.header && (
          <Field label="API key" hint="kept encrypted, never shown again">
            {(id) => (
              <input
                id={id}
                className="input w-full"
                type="password"
                autoComplete="new-password"
                data-1p-ignore
                value={given.key}
                onChange={set("key")}
              />
            )}
          </Field>
        )}
      </div>
      <ProblemAlert error={connect.error} />
      <div className="mt-3 flex gap-2">
        <button className="btn btn-primary btn-sm" disabled={connect.isPending || !service}>
          {connect.isPending ? "Connecting" : "Make the connection"}
        </button>
        <button type="button" className="btn btn-ghost btn-sm" onClick={onClose}>
          Leave it
        </button>
      </div>
    </form>
  );
}
