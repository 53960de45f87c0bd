import { useState } from "react";
import type { Schemas } from "../api/client";
import { Field } from "./parts";
import { asText } from "./text";

type FormField = Schemas["FormFieldItem"];
type Values = Record<string, unknown>;

/** A form drawn from a document's own description: one field for each of its settings. */
export function SchemaForm({
  fields,
  values,
  readOnly,
  onValues,
}: {
  fields: FormField[];
  values: Values;
  readOnly?: boolean;
  onValues: (values: Values) => void;
}) {
  const set = (name: string, value: unknown) => {
    const next = { ...values, [name]: value };
    if (value === undefined) delete next[name];
    onValues(next);
  };
  const [rareFirst] = useState(
    () => new Set(fields.filter((one) => one.is_rare && values[one.name] !== undefined).map((one) => one.name)),
  );
  const behind = fields.filter((one) => one.is_rare && !rareFirst.has(one.name));
  const grid = (shown: FormField[]) => (
    <div className="grid gap-x-4 gap-y-1 @md:grid-cols-2">
      {shown.map((field) => (
        <div
          key={field.name}
          className={["long_text", "map", "json", "choices"].includes(field.kind) ? "@md:col-span-2" : ""}
        >
          <OneField
            field={field}
            value={values[field.name]}
            readOnly={readOnly}
            onValue={(value) => set(field.name, value)}
          />
        </div>
      ))}
    </div>
  );
  return (
    <div className="@container">
      {grid(fields.filter((one) => !behind.includes(one)))}
      {behind.length > 0 && (
        <details className="mb-3 text-sm">
          <summary className="link link-hover cursor-pointer">
            Seldom needed: {behind.map((one) => one.title.toLowerCase()).join(", ")}
          </summary>
          <div className="mt-2 border-l border-base-300 pl-4">{grid(behind)}</div>
        </details>
      )}
    </div>
  );
}

function OneField({
  field,
  value,
  readOnly,
  onValue,
}: {
  field: FormField;
  value: unknown;
  readOnly?: boolean;
  onValue: (value: unknown) => void;
}) {
  const hint = capital(field.help);
  switch (field.kind) {
    case "boolean":
      return (
        <label className="flex items-start gap-2 py-2 text-sm">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={Boolean(value ?? field.default)}
            disabled={readOnly}
            onChange={(e) => onValue(e.target.checked)}
          />
          <span>
            {field.title}
            {hint && <span className="block text-xs opacity-75">{hint}</span>}
          </span>
        </label>
      );
    case "choice":
      return (
        <Field label={field.title} hint={hint}>
          {(id) => (
            <select
              id={id}
              className="select select-sm w-full"
              value={asText(value ?? field.default ?? "")}
              disabled={readOnly}
              onChange={(e) => onValue(e.target.value)}
            >
              {field.choices.map((one) => (
                <option key={one} value={one}>
                  {one.replaceAll("_", " ")}
                </option>
              ))}
            </select>
          )}
        </Field>
      );
    case "choices": {
      const chosen = (value ?? field.default ?? []) as string[];
      return (
        <fieldset className="mb-3">
          <legend className="mb-1 text-sm font-medium">{field.title}</legend>
          <div className="flex flex-wrap gap-x-4 gap-y-1">
            {field.choices.map((one) => (
              <label key={one} className="flex items-center gap-1.5 text-sm">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={chosen.includes(one)}
                  disabled={readOnly}
                  onChange={(e) =>
                    onValue(
                      field.choices.filter((other) => (other === one ? e.target.checked : chosen.includes(other))),
                    )
                  }
                />
                {one.replaceAll("_", " ")}
              </label>
            ))}
          </div>
          {hint && <p className="mt-1 text-xs opacity-75">{hint}</p>}
        </fieldset>
      );
    }
    case "integer":
    case "number":
      return (
        <Field label={field.title} hint={hint}>
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full"
              inputMode="decimal"
              placeholder={field.default == null ? "" : asText(field.default)}
              value={value == null ? "" : asText(value)}
              readOnly={readOnly}
              onChange={(e) =>
                onValue(
                  e.target.value === ""
                    ? undefined
                    : Number.isNaN(Number(e.target.value))
                      ? e.target.value
                      : Number(e.target.value),
                )
              }
            />
          )}
        </Field>
      );
    case "long_text":
      return (
        <Field label={field.title} hint={hint}>
          {(id) => (
            <textarea
              id={id}
              className="textarea w-full font-mono text-xs"
              rows={value ? 5 : 2}
              value={asText(value ?? "")}
              readOnly={readOnly}
              onChange={(e) => onValue(e.target.value || undefined)}
            />
          )}
        </Field>
      );
    case "list":
    case "integers":
      return (
        <Field label={field.title} hint={hint}>
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full"
              value={((value ?? field.default ?? []) as unknown[]).join(", ")}
              readOnly={readOnly}
              onChange={(e) =>
                onValue(
                  e.target.value
                    .split(",")
                    .map((one) => one.trim())
                    .filter((one, at, all) => one || at === all.length - 1)
                    .map((one) => (field.kind === "integers" && /^\d+$/.test(one) ? Number(one) : one)),
                )
              }
            />
          )}
        </Field>
      );
    case "map":
    case "json":
      return <Lines field={field} hint={hint} value={value} readOnly={readOnly} onValue={onValue} />;
    case "text":
      return (
        <Field label={field.title} hint={hint}>
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full"
              placeholder={field.default ? asText(field.default) : ""}
              value={asText(value ?? "")}
              readOnly={readOnly}
              required={field.is_required}
              onChange={(e) => onValue(e.target.value === "" && !field.is_required ? undefined : e.target.value)}
            />
          )}
        </Field>
      );
  }
}

/** Names and values, one `name = value` a line; lists of such as name and value likewise. */
function Lines({
  field,
  hint,
  value,
  readOnly,
  onValue,
}: {
  field: FormField;
  hint: string;
  value: unknown;
  readOnly?: boolean;
  onValue: (value: unknown) => void;
}) {
  const isList = field.kind === "json";
  const pairs: [string, unknown][] = isList
    ? ((value ?? []) as { name: string; value: unknown }[]).map((one) => [one.name, one.value])
    : Object.entries((value ?? {}) as Values);
  const read = (text: string) => {
    const found = text
      .split("\n")
      .filter((line) => line.trim())
      .map((line) => {
        const at = line.indexOf("=");
        return at < 0 ? ([line.trim(), ""] as const) : ([line.slice(0, at).trim(), line.slice(at + 1).trim()] as const);
      });
    onValue(isList ? found.map(([name, one]) => ({ name, value: one })) : Object.fromEntries(found));
  };
  return (
    <Field label={field.title} hint={`${hint}${hint ? ". " : ""}One a line: name = value`}>
      {(id) => (
        <textarea
          id={id}
          className="textarea w-full font-mono text-xs"
          rows={Math.max(2, pairs.length)}
          defaultValue={pairs
            .map(([name, one]) => `${name} = ${typeof one === "string" ? one : JSON.stringify(one)}`)
            .join("\n")}
          readOnly={readOnly}
          onBlur={(e) => read(e.target.value)}
        />
      )}
    </Field>
  );
}

function capital(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}
