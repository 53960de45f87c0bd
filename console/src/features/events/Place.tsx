import { Field } from "../../ui/parts";
import { useEnvironments } from "../session/session";
import { useCredentialNames } from "./subscriptions";

export interface Placed {
  name: string;
  environment: string;
  credential: string | null;
}

/** What it is called, where it is, and the credential with its key. */
export function Place({
  project,
  keyLabel,
  placed,
  onPlaced,
}: {
  project: string;
  keyLabel: string;
  placed: Placed;
  onPlaced: (placed: Placed) => void;
}) {
  const environments = useEnvironments(project);
  const credentials = useCredentialNames(project);
  const { name, environment, credential } = placed;
  const set = (change: Partial<Placed>) => onPlaced({ name, environment, credential, ...change });
  return (
    <div className="grid gap-x-4 sm:grid-cols-3">
      <Field label="Name">
        {(id) => (
          <input
            id={id}
            className="input input-sm w-full"
            value={name}
            onChange={(event) => set({ name: event.target.value })}
          />
        )}
      </Field>
      <Field label="Environment">
        {(id) => (
          <select
            id={id}
            className="select select-sm w-full"
            value={environment}
            onChange={(event) => set({ environment: event.target.value })}
          >
            {environments.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        )}
      </Field>
      <Field label={keyLabel} hint="a credential with a signing_key">
        {(id) => (
          <select
            id={id}
            className="select select-sm w-full"
            value={credential ?? ""}
            onChange={(event) => set({ credential: event.target.value || null })}
          >
            <option value="">none</option>
            {(credentials.data ?? [])
              .filter((one) => one.environment === environment)
              .map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
          </select>
        )}
      </Field>
    </div>
  );
}
