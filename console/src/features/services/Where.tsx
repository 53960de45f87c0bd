import { useState } from "react";
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
  const more = [
    ["time_outs", "Time-outs", forms.data?.time_outs, summary(document.time_outs, "usual")],
    ["tls", "TLS", forms.data?.tls, document.tls?.certificate ? "own certificate" : document.tls?.authority ? "own authority" : "public authorities"],
    ["proxy", "Proxy", forms.data?.proxy, document.proxy?.address || "none"],
  ] as const;
  return (
    <>
      <Field label="Base address" hint="all operations of the service use it; {name} leaves a blank to fill in once">
        {(id) => <input id={id} className="input w-full font-mono text-sm" value={document.base_address ?? ""} readOnly={readOnly} onChange={(e) => set({ base_address: e.target.value })} />}
      </Field>
      {blanks.length > 0 && (
        <div className="grid gap-x-4 sm:grid-cols-2">
          {blanks.map((blank) => (
            <Field key={blank} label={blank}>
              {(id) => <input id={id} className="input input-sm w-full" value={document.blanks?.[blank] ?? ""} readOnly={readOnly} onChange={(e) => set({ blanks: { ...document.blanks, [blank]: e.target.value } })} />}
            </Field>
          ))}
        </div>
      )}
      <fieldset className="mb-3 flex flex-wrap gap-x-5 gap-y-1 text-sm">
        <legend className="mb-1 text-sm font-medium">It may be</legend>
        {USES.map(([use, words]) => (
          <label key={use} className="flex items-center gap-2">
            <input type="checkbox" className="checkbox checkbox-sm" checked={supports.includes(use)} disabled={readOnly} onChange={(e) => set({ supports: USES.map(([one]) => one).filter((one) => (one === use ? e.target.checked : supports.includes(one))) })} />
            {words}
          </label>
        ))}
      </fieldset>
      <div className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
        {more.map(([key, title, , words]) => (
          <button key={key} type="button" className="link link-hover" aria-expanded={open === key} onClick={() => setOpen(open === key ? null : key)}>
            {title}: <span className="opacity-75">{words}</span>
          </button>
        ))}
        <button type="button" className="link link-hover" aria-expanded={open === "more"} onClick={() => setOpen(open === "more" ? null : "more")}>
          Workers and more: <span className="opacity-75">{document.site ? `at ${document.site}` : "any"}</span>
        </button>
      </div>
      {more.map(([key, , form]) => open === key && form && (
        <div key={key} className="mt-3 border-l border-base-300 pl-4">
          <p className="mb-2 text-xs opacity-75">{form.words}</p>
          <SchemaForm fields={form.fields} values={(document[key] ?? {}) as Record<string, unknown>} readOnly={readOnly} onValues={(values) => set({ [key]: values })} />
        </div>
      ))}
      {open === "more" && (
        <div className="mt-3 border-l border-base-300 pl-4">
          <Field label="Site of the workers" hint="Only workers started with --site and this name execute its runs. Leave it blank for any.">
            {(id) => <input id={id} className="input input-sm w-56" value={document.site ?? ""} readOnly={readOnly} onChange={(e) => set({ site: e.target.value })} />}
          </Field>
          <Field label="Further origins" hint="Where next pages may be besides, parted by blanks, such as https://archive.register.example. What goes with every request goes there too.">
            {(id) => <input id={id} className="input input-sm w-full font-mono" key={(document.further_origins ?? []).join(" ")} defaultValue={(document.further_origins ?? []).join(" ")} readOnly={readOnly} onBlur={(e) => set({ further_origins: e.target.value.split(/\s+/).filter(Boolean) })} />}
          </Field>
          <Field label="Documentation" hint="address of the service's own documentation">
            {(id) => <input id={id} className="input input-sm w-full" value={document.documentation ?? ""} readOnly={readOnly} onChange={(e) => set({ documentation: e.target.value })} />}
          </Field>
        </div>
      )}
      {document.documentation && <p className="mt-2 text-sm"><a className="link" href={document.documentation} rel="noreferrer" target="_blank">Its documentation</a></p>}
    </>
  );
}

function summary(values: object | undefined, none: string): string {
  const set = Object.entries(values ?? {});
  return set.length ? set.map(([name, value]) => `${name.replaceAll("_", " ")} ${String(value)} s`).join(", ") : none;
}
