import { Copy, Trash2 } from "lucide-react";
import { useState } from "react";
import { Field, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { SchemaForm } from "../../ui/SchemaForm";
import { usePermission } from "../session/session";
import {
  type Connection,
  type ConnectionDocument,
  type PartProps,
  useBeginSignIn,
  useCredential,
  useDiscardToken,
  useDropSecond,
  useFindAddresses,
  useForms,
  useOperationNames,
  usePermitOrigins,
  useSetSecrets,
  useSignIn,
} from "./connection";

type SignIn = NonNullable<ConnectionDocument["sign_in"]>;

/** How to sign in: the scheme and its settings, the secrets, and the life of the token. */
export function SignInPart({
  document,
  readOnly,
  onDocument,
  project,
  connection,
  isChanged,
}: PartProps & { project: string; connection: Connection; isChanged: boolean; environments: string[] }) {
  const forms = useForms(project);
  const scheme = document.sign_in ?? { type: "none" as const };
  const form = forms.data?.sign_in.find((one) => one.type === scheme.type);
  const hasAddresses = "token_address" in Object.fromEntries(form?.fields.map((one) => [one.name, true]) ?? []);
  const setScheme = (values: object) => onDocument({ ...document, sign_in: values as SignIn });
  return (
    <>
      <Field label="Scheme" hint={form?.words}>
        {(id) => (
          <select
            id={id}
            className="select w-full max-w-sm"
            value={scheme.type}
            disabled={readOnly}
            onChange={(e) => setScheme({ type: e.target.value })}
          >
            {forms.data?.sign_in.map((one) => (
              <option key={one.type} value={one.type}>
                {one.title}
              </option>
            ))}
          </select>
        )}
      </Field>
      {hasAddresses && !readOnly && (
        <FindAddresses
          project={project}
          onFound={(found) =>
            setScheme({
              ...scheme,
              ...found,
              ...(scheme.type === "authorization_code" ? {} : { authorization_address: undefined }),
            })
          }
        />
      )}
      {form && (
        <SchemaForm
          key={scheme.type}
          fields={form.fields}
          values={scheme}
          readOnly={readOnly}
          onValues={(values) => setScheme({ ...values, type: scheme.type })}
        />
      )}
      {isChanged ? (
        connection.document.sign_in?.type !== scheme.type && (
          <p className="text-sm opacity-80">Save the connection, then enter its secrets.</p>
        )
      ) : (
        <Secrets
          project={project}
          connection={connection}
          names={connection.secret_names}
          credential={connection.credential}
          origins={connection.secret_origins}
          onCertificate={(certificate) => onDocument({ ...document, tls: { ...document.tls, certificate } })}
        />
      )}
      {!isChanged && <TokenLife project={project} connection={connection} scheme={scheme.type} />}
      <OwnSignIns
        document={document}
        readOnly={readOnly}
        onDocument={onDocument}
        project={project}
        connection={connection}
        isChanged={isChanged}
      />
    </>
  );
}

function FindAddresses({
  project,
  onFound,
}: {
  project: string;
  onFound: (found: { token_address: string; authorization_address?: string; issuer?: string }) => void;
}) {
  const [issuer, setIssuer] = useState("");
  const find = useFindAddresses(project);
  return (
    <details className="mb-3 text-sm">
      <summary className="link link-hover cursor-pointer">Find the addresses from the service's own metadata</summary>
      <form
        className="mt-2 flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          find.mutate(issuer, {
            onSuccess: (found) =>
              onFound({
                token_address: found.token_address,
                authorization_address: found.authorization_address || undefined,
              }),
          });
        }}
      >
        <div className="flex-1">
          <Field
            label="Issuer"
            hint={
              find.data ? "found; look at the fields below" : "the address of the sign-in service (RFC 8414, OpenID)"
            }
          >
            {(id) => (
              <input
                id={id}
                className="input input-sm w-full"
                value={issuer}
                onChange={(e) => setIssuer(e.target.value)}
              />
            )}
          </Field>
        </div>
        <button className="btn btn-sm mb-8" disabled={!issuer || find.isPending}>
          Find
        </button>
      </form>
      <ProblemAlert error={find.error} />
    </details>
  );
}

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

function Secrets({ project, connection, names, credential: kept, origins, isOwn, onCertificate }: SecretsProps) {
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
            {credential.data?.set_at && <span className="opacity-75">, set {when(credential.data.set_at)}</span>}
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

/** Operations that sign in another way than the connection does, each with a credential of its own. */
function OwnSignIns({
  document,
  readOnly,
  onDocument,
  project,
  connection,
  isChanged,
}: PartProps & { project: string; connection: Connection; isChanged: boolean }) {
  const forms = useForms(project);
  const operations = useOperationNames(project, connection.service);
  const own = document.own_sign_ins ?? [];
  const free = operations.filter((name) => !own.some((one) => one.operation === name));
  const put = (next: typeof own) => onDocument({ ...document, own_sign_ins: next });
  if (own.length === 0 && (readOnly || free.length === 0)) return null;
  return (
    <div className="mt-4">
      <p className="mb-1 text-sm font-medium">Operations that sign in another way</p>
      {own.map((one, number) => {
        const scheme = one.sign_in ?? { type: "none" as const };
        const form = forms.data?.sign_in.find((other) => other.type === scheme.type);
        const change = (sign_in: object) =>
          put(own.map((other, at) => (at === number ? { ...other, sign_in: sign_in as SignIn } : other)));
        const names = connection.own_secret_names[one.operation] ?? [];
        return (
          <fieldset key={one.operation} className="mb-3 border-l-2 border-base-300 pl-3">
            <legend className="float-left mr-3 font-mono text-sm">{one.operation}</legend>
            <div className="flex items-center gap-2">
              <select
                className="select select-sm w-56"
                aria-label={`Scheme of ${one.operation}`}
                value={scheme.type}
                disabled={readOnly}
                onChange={(e) => change({ type: e.target.value })}
              >
                {forms.data?.sign_in.map((other) => (
                  <option key={other.type} value={other.type}>
                    {other.title}
                  </option>
                ))}
              </select>
              {!readOnly && (
                <button
                  type="button"
                  className="btn btn-ghost btn-xs"
                  aria-label={`${one.operation} signs in as the connection does`}
                  onClick={() => put(own.filter((_, at) => at !== number))}
                >
                  <Trash2 className="size-3.5" aria-hidden />
                </button>
              )}
            </div>
            {form && (
              <div className="mt-2">
                <SchemaForm
                  key={scheme.type}
                  fields={form.fields}
                  values={scheme}
                  readOnly={readOnly}
                  onValues={(values) => change({ ...values, type: scheme.type })}
                />
              </div>
            )}
            {isChanged ? (
              scheme.type !== "none" && (
                <p className="text-xs opacity-80">Save the connection, then enter the secrets.</p>
              )
            ) : (
              <Secrets
                project={project}
                connection={connection}
                names={names}
                credential={one.credential ?? null}
                origins={connection.own_secret_origins[one.operation] ?? []}
                isOwn
              />
            )}
          </fieldset>
        );
      })}
      {!readOnly && free.length > 0 && (
        <select
          className="select select-sm w-72"
          aria-label="Let an operation sign in another way"
          value=""
          onChange={(e) =>
            e.target.value &&
            put([
              ...own,
              {
                operation: e.target.value,
                sign_in: { type: "none" },
                credential: `${connection.name}-${e.target.value}`.slice(0, 63),
              },
            ])
          }
        >
          <option value="">let another operation sign in another way</option>
          {free.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
    </div>
  );
}

/** What may be seen of the token: obtained, valid until, renewed, refused and why. */
function TokenLife({ project, connection, scheme }: { project: string; connection: Connection; scheme: string }) {
  const found = useSignIn(project, connection.name);
  const begin = useBeginSignIn(project, connection.name);
  const discard = useDiscardToken(project, connection.name);
  const may = usePermission(project, "write_secret");
  const consents = scheme === "authorization_code";
  if (!found.data || (found.data.tokens.length === 0 && !consents)) return null;
  return (
    <div className="border-l-2 border-base-300 pl-3 text-sm">
      {found.data.tokens.map((one) => (
        <div key={one.operation} className="mb-2">
          <p>
            <span className="font-medium">{one.operation ? `Token of ${one.operation}` : "Access token"}</span>{" "}
            <Tag tone={one.state === "valid" ? "good" : one.state === "none" ? "plain" : "bad"}>
              {one.state.replaceAll("_", " ")}
            </Tag>
          </p>
          <p>{one.words}</p>
          {one.obtained_at && (
            <p className="text-xs opacity-75">
              obtained {when(one.obtained_at)}
              {one.expires_at && `, valid until ${when(one.expires_at)}`}, renewed {one.renewed} times
              {one.scope && `, scope ${one.scope}`}
              {one.signed_in_by && `, signed in by ${one.signed_in_by}`}
            </p>
          )}
          {one.refusal != null && <p className="text-xs opacity-75">{(one.refusal as { hint: string }).hint}</p>}
        </div>
      ))}
      <ProblemAlert error={begin.error ?? discard.error} />
      {consents && (
        <p className="mb-2 flex flex-wrap items-center gap-2 text-xs">
          Callback address, for the service's registration page:
          <code className="font-mono break-all">{found.data.callback}</code>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label="Copy the callback address"
            onClick={() => void navigator.clipboard.writeText(found.data.callback)}
          >
            <Copy className="size-3.5" aria-hidden /> copy
          </button>
        </p>
      )}
      {may && consents && (
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={begin.isPending}
          onClick={() => begin.mutate()}
        >
          Sign in at the service
        </button>
      )}
      {may && found.data.tokens.some((one) => one.obtained_at) && (
        <button type="button" className="btn btn-ghost btn-sm" onClick={() => discard.mutate()}>
          Forget the token
        </button>
      )}
    </div>
  );
}
