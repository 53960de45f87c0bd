import { useState } from "react";
import { Field, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { UsedBy } from "../finding/UsedBy";
import { usePermission } from "../session/session";
import { type Connection, useCredential, useDropSecond, usePermitOrigins, useSetSecrets } from "./connection";

const LABELS: Record<string, string> = {
  key: "Key",
  secret: "Secret",
  password: "Password",
  token: "Token",
  client_secret: "Client secret",
  private_key: "Private key (PEM)",
  tls_private_key: "Private key of the certificate (PEM)",
  proxy_password: "Password of the proxy",
};

/** The credential's secrets: written here, read nowhere. */
interface SecretsProps {
  project: string;
  connection: Connection;
  names: string[];
  credential: string | null;
  /** Where they would be sent. */
  origins: string[];
  isOwn?: boolean;
  /** A certificate that came with a key. */
  onCertificate?: (pem: string) => void;
}

type KeyFile = { base64: string; passphrase: string; name: string };

export function Secrets({ project, connection, names, credential: kept, origins, isOwn, onCertificate }: SecretsProps) {
  const credential = useCredential(project, kept);
  const set = useSetSecrets(project, connection, isOwn ? kept : null);
  const drop = useDropSecond(project, connection, kept ?? "");
  const may = usePermission(project, "replace_secret");
  const mayPermit = usePermission(project, "administer");
  const permit = usePermitOrigins(project, connection, kept ?? "");
  const [values, setValues] = useState<Record<string, string>>({});
  const [files, setFiles] = useState<Record<string, KeyFile | undefined>>({});
  const [isOpen, setOpen] = useState<"first" | "second" | null>(null);
  if (names.length === 0) return null;
  const isSet = names.every((one) => credential.data?.names.includes(one));
  const open = isOpen ?? (isSet || (credential.isPending && kept) ? null : "first");
  const isComplete = names.every((one) => values[one] || files[one]);
  const keyFiles = Object.fromEntries(
    Object.entries(files).flatMap(([name, file]) =>
      file ? [[name, { base64: file.base64, passphrase: file.passphrase }]] : [],
    ),
  );
  const strange = isSet && credential.data ? origins.filter((one) => !credential.data.origins.includes(one)) : [];
  return (
    <div className="mt-3 mb-4">
      <div className="flex flex-wrap items-center gap-3 text-sm">
        <span className="font-medium">Secrets</span>
        {isSet ? (
          <span>
            {names.map((one) => LABELS[one] ?? one).join(", ")} kept in{" "}
            <code className="font-mono text-xs">{kept}</code>
            {credential.data?.set_at && <span className="opacity-75">, set {when(credential.data.set_at)}</span>}{" "}
            {kept && (
              <UsedBy
                item={{
                  project,
                  kind: "credentials",
                  word: "credential",
                  name: kept,
                  after: `connections/${connection.name}`,
                }}
              />
            )}
          </span>
        ) : (
          <Tag tone="bad">missing</Tag>
        )}
        {isSet && may && open === null && (
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => setOpen("first")}>
            Replace
          </button>
        )}
        {isSet && may && open === null && !credential.data?.has_second && (
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => setOpen("second")}>
            Add a second, valid in turn
          </button>
        )}
      </div>
      {credential.data?.has_second && (
        <p className="mt-1 flex items-center gap-3 text-sm">
          A second set was given {when(credential.data.second_set_at)}; it is tried where the first is refused.
          {may && (
            <button type="button" className="btn btn-ghost btn-xs" onClick={() => drop.mutate()}>
              Drop the second
            </button>
          )}
        </p>
      )}
      {isSet && strange.length === 0 && (
        <p className="mt-1 text-xs opacity-75">sent to {origins.join(" and ")} alone</p>
      )}
      {strange.length > 0 && (
        <div role="alert" className="mt-2 max-w-xl border-l-4 border-warning bg-warning/10 py-1 pl-2 text-sm">
          <p>
            They were entered for {credential.data?.origins.join(", ") || "no address yet"}, and are not sent to{" "}
            {strange.join(", ")}.
          </p>
          <p className="flex flex-wrap gap-3">
            {may && (
              <button type="button" className="link" onClick={() => setOpen("first")}>
                enter them again for it
              </button>
            )}
            {mayPermit ? (
              <button type="button" className="link" disabled={permit.isPending} onClick={() => permit.mutate(strange)}>
                permit it
              </button>
            ) : (
              <span className="opacity-75">or ask an administrator to permit it</span>
            )}
          </p>
          <ProblemAlert error={permit.error} />
        </div>
      )}
      {open && may && (
        <form
          autoComplete="off"
          className="mt-2 max-w-md"
          onSubmit={(event) => {
            event.preventDefault();
            set.mutate(
              { secrets: values, keyFiles, isSecond: open === "second", origins: strange },
              {
                onSuccess: (made) => {
                  setValues({});
                  setFiles({});
                  setOpen(null);
                  if (made.certificates.tls_private_key) onCertificate?.(made.certificates.tls_private_key);
                },
              },
            );
          }}
        >
          {names.map((one) => (
            <Field
              key={one}
              label={`${open === "second" ? "Second: " : ""}${LABELS[one] ?? one}`}
              hint="never shown again"
            >
              {(id) =>
                one.endsWith("private_key") ? (
                  <KeyInput id={id} file={files[one]} onFile={(file) => setFiles({ ...files, [one]: file })}>
                    <textarea
                      id={id}
                      className="textarea w-full font-mono text-xs"
                      rows={3}
                      autoComplete="off"
                      spellCheck={false}
                      data-1p-ignore
                      data-lpignore="true"
                      value={values[one] ?? ""}
                      onChange={(e) => setValues({ ...values, [one]: e.target.value })}
                    />
                  </KeyInput>
                ) : (
                  <input
                    id={id}
                    className="input input-sm w-full"
                    type="password"
                    autoComplete="new-password"
                    data-1p-ignore
                    data-lpignore="true"
                    value={values[one] ?? ""}
                    onChange={(e) => setValues({ ...values, [one]: e.target.value })}
                  />
                )
              }
            </Field>
          ))}
          <ProblemAlert error={set.error} />
          <button className="btn btn-primary btn-sm" disabled={!isComplete || set.isPending}>
            Keep the {names.length === 1 ? "secret" : "secrets"}
          </button>
          {isSet && (
            <button
              type="button"
              className="btn btn-ghost btn-sm ml-2"
              onClick={() => {
                setValues({});
                setFiles({});
                setOpen(null);
              }}
            >
              Leave it
            </button>
          )}
        </form>
      )}
    </div>
  );
}

/** A private key: pasted in PEM, or from a file in PEM or PKCS#12 with the passphrase that opens it. */
function KeyInput({
  id,
  file,
  onFile,
  children,
}: {
  id: string;
  file: KeyFile | undefined;
  onFile: (file: KeyFile | undefined) => void;
  children: React.ReactNode;
}) {
  const choose = async (chosen: File | undefined) => {
    if (!chosen) return;
    const bytes = new Uint8Array(await chosen.arrayBuffer());
    onFile({
      base64: btoa(Array.from(bytes, (one) => String.fromCharCode(one)).join("")),
      passphrase: "",
      name: chosen.name,
    });
  };
  if (file) {
    return (
      <div className="flex flex-wrap items-center gap-2 text-sm">
        <code className="font-mono text-xs">{file.name}</code>
        <input
          id={id}
          className="input input-sm w-48"
          type="password"
          autoComplete="new-password"
          data-1p-ignore
          data-lpignore="true"
          placeholder="passphrase, if it has one"
          aria-label={`Passphrase of ${file.name}`}
          value={file.passphrase}
          onChange={(e) => onFile({ ...file, passphrase: e.target.value })}
        />
        <button type="button" className="btn btn-ghost btn-xs" onClick={() => onFile(undefined)}>
          another way
        </button>
      </div>
    );
  }
  return (
    <>
      {children}
      <label className="mt-1 block cursor-pointer text-xs">
        <span className="link">or from a file</span>, PEM or PKCS#12 (.p12, .pfx)
        <input
          type="file"
          className="sr-only"
          aria-label="A key from a file"
          onChange={(e) => void choose(e.target.files?.[0])}
        />
      </label>
    </>
  );
}
