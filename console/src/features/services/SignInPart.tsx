import { useState } from "react";
import { Field } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { SchemaForm } from "../../ui/SchemaForm";
import { type Connection, type ConnectionDocument, type PartProps, useFindAddresses, useForms } from "./connection";
import { OwnSignIns } from "./OwnSignIns";
import { Secrets } from "./Secrets";
import { TokenLife } from "./TokenLife";

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
