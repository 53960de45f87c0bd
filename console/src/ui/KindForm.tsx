import type { Schemas } from "../api/client";
import { SchemaForm } from "./SchemaForm";

interface Props<T extends { type: string }> {
  id: string;
  label: string;
  /** What is chosen where there is none. */
  none: string;
  forms: Schemas["FormShown"][];
  value: T | null | undefined;
  onValue: (value: T | null) => void;
}

/** One of several kinds of settings: which one, and the form of that one. */
export function KindForm<T extends { type: string }>({ id, label, none, forms, value, onValue }: Props<T>) {
  const form = forms.find((one) => one.type === value?.type);
  const choose = (type: string) => {
    const chosen = forms.find((one) => one.type === type);
    if (!chosen) return onValue(null);
    const required = chosen.fields
      .filter((one) => one.is_required)
      .map((one) => [one.name, one.kind === "list" ? [] : ""]);
    onValue({ type, ...Object.fromEntries(required) } as T);
  };
  return (
    <>
      <label className="mb-1 block text-xs" htmlFor={id}>
        {label}
      </label>
      <select
        id={id}
        className="select select-sm mb-2 w-full max-w-60"
        value={value?.type ?? ""}
        onChange={(event) => choose(event.target.value)}
      >
        <option value="">{none}</option>
        {forms.map((one) => (
          <option key={one.type} value={one.type}>
            {one.title}
          </option>
        ))}
      </select>
      {form && (
        <SchemaForm
          key={form.type}
          fields={form.fields}
          values={{ ...value }}
          onValues={(values) => onValue({ ...values, type: form.type } as unknown as T)}
        />
      )}
    </>
  );
}
