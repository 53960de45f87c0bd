import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Field } from "../../ui/parts";
import { SchemaForm } from "../../ui/SchemaForm";
import { type ConnectionDocument, type PartProps, useForms } from "./connection";

const USES = [
  ["live", "asked when its records are read"],
  ["copy", "copied by feeds"],
  ["write", "changed by operations"],
] as const;

/** Where the service is: address and its blanks, TLS, proxy, time-outs, site, and what the connection is for. */
export function Where({ document, readOnly, onDocument, project }: PartProps & { project: string }) {
  const forms = useForms(project);
  const [open, setOpen] = useState<string | null>(null);
  const set = (change: Partial<ConnectionDocument>) => onDocument({ ...document, ...change });
  const blanks = [...(document.base_address ?? "").matchAll(/\{([A-Za-z0-9_]+)\}/g)].map((one) => one[1]!);
  const supports = document.supports ?? ["live", "copy", "write"];
  const parts = forms.data?.parts ?? [];
  const valuesOf = (name: string) => (document[name as keyof ConnectionDocument] ?? {}) as Record<string, unknown>;
  const isOff = (name: string) => document[name as keyof ConnectionDocument] === null;
  return (
    <>
      <Field label="Base address" hint="all operations of the service use it; {name} leaves a blank to fill in once">
        {(id) => (
          <input
            id={id}
            className="input w-full font-mono text-sm"
            value={document.base_address ?? ""}
            readOnly={readOnly}
            onChange={(e) => set({ base_address: e.target.value })}
          />
        )}
      </Field>
      {blanks.length > 0 && (
        <div className="grid gap-x-4 sm:grid-cols-2">
          {blanks.map((blank) => (
            <Field key={blank} label={blank}>
              {(id) => (
                <input
                  id={id}
                  className="input input-sm w-full"
                  value={document.blanks?.[blank] ?? ""}
                  readOnly={readOnly}
                  onChange={(e) => set({ blanks: { ...document.blanks, [blank]: e.target.value } })}
                />
              )}
            </Field>
          ))}
        </div>
      )}
      <fieldset className="mb-3 flex flex-wrap gap-x-5 gap-y-1 text-sm">
        <legend className="mb-1 text-sm font-medium">It may be</legend>
        {USES.map(([use, words]) => (
          <label key={use} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={supports.includes(use)}
              disabled={readOnly}
              onChange={(e) =>
                set({
                  supports: USES.map(([one]) => one).filter((one) =>
                    one === use ? e.target.checked : supports.includes(one),
                  ),
                })
              }
            />
            {words}
          </label>
        ))}
      </fieldset>
      <div className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
        {parts.map((form) => (
          <button
            key={form.name}
            type="button"
            className="link link-hover"
            aria-expanded={open === form.name}
            onClick={() => setOpen(open === form.name ? null : form.name)}
          >
            {form.title}:{" "}
            <span className="opacity-75">{isOff(form.name) ? "never" : summary(form.fields, valuesOf(form.name))}</span>
          </button>
        ))}
        <button
          type="button"
          className="link link-hover"
          aria-expanded={open === "more"}
          onClick={() => setOpen(open === "more" ? null : "more")}
        >
          Workers and more: <span className="opacity-75">{document.site ? `at ${document.site}` : "any"}</span>
        </button>
      </div>
      {parts.map(
        (form) =>
          open === form.name && (
            <div key={form.name} className="mt-3 border-l border-base-300 pl-4">
              <p className="mb-2 text-xs opacity-75">{form.words}</p>
              {form.may_be_none && (
                <label className="mb-2 flex items-center gap-2 text-sm">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-sm"
                    checked={isOff(form.name)}
                    disabled={readOnly}
                    onChange={(e) => set({ [form.name]: e.target.checked ? null : undefined })}
                  />
                  Never
                </label>
              )}
              {!isOff(form.name) && (
                <SchemaForm
                  fields={form.fields}
                  values={valuesOf(form.name)}
                  readOnly={readOnly}
                  onValues={(values) => set({ [form.name]: values })}
                />
              )}
            </div>
          ),
      )}
      {open === "more" && (
        <div className="mt-3 border-l border-base-300 pl-4">
          <Field
            label="Site of the workers"
            hint="Only workers started with --site and this name execute its runs. Leave it blank for any."
          >
            {(id) => (
              <input
                id={id}
                className="input input-sm w-56"
                value={document.site ?? ""}
                readOnly={readOnly}
                onChange={(e) => set({ site: e.target.value })}
              />
            )}
          </Field>
          <Field
            label="Further origins"
            hint="Where next pages may be besides, parted by blanks, such as https://archive.register.example. What goes with every request goes there too."
          >
            {(id) => (
              <input
                id={id}
                className="input input-sm w-full font-mono"
                key={(document.further_origins ?? []).join(" ")}
                defaultValue={(document.further_origins ?? []).join(" ")}
                readOnly={readOnly}
                onBlur={(e) => set({ further_origins: e.target.value.split(/\s+/).filter(Boolean) })}
              />
            )}
          </Field>
          <Field label="Documentation" hint="address of the service's own documentation">
            {(id) => (
              <input
                id={id}
                className="input input-sm w-full"
                value={document.documentation ?? ""}
                readOnly={readOnly}
                onChange={(e) => set({ documentation: e.target.value })}
              />
            )}
          </Field>
        </div>
      )}
      {document.documentation && (
        <p className="mt-2 text-sm">
          <a className="link" href={document.documentation} rel="noreferrer" target="_blank">
            Its documentation
          </a>
        </p>
      )}
    </>
  );
}

/** What is set of a part; long texts, such as certificates, by their title alone. */
function summary(fields: Schemas["FormFieldItem"][], values: Record<string, unknown>): string {
  const set = fields.filter((field) => values[field.name] !== undefined && values[field.name] !== "");
  return (
    set
      .map((field) =>
        field.kind === "long_text"
          ? field.title.toLowerCase()
          : `${field.title.toLowerCase()} ${String(values[field.name])}`,
      )
      .join(", ") || "usual"
  );
}
