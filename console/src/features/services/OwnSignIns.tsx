import { Trash2 } from "lucide-react";
import { SchemaForm } from "../../ui/SchemaForm";
import { type Connection, type ConnectionDocument, type PartProps, useForms, useOperationNames } from "./connection";
import { Secrets } from "./Secrets";

type SignIn = NonNullable<ConnectionDocument["sign_in"]>;

/** Operations that sign in another way than the connection does, each with a credential of its own. */
export function OwnSignIns({
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
