import type { ReactNode } from "react";
import { FIELD_TYPES, type FieldType } from "./plan";

/** The type of a field, an input or a kept value. children: what may be chosen besides. */
export function TypeSelect({
  label,
  value,
  className = "w-24",
  disabled,
  onType,
  children,
}: {
  label: string;
  value: string;
  className?: string;
  disabled?: boolean;
  onType: (type: FieldType) => void;
  children?: ReactNode;
}) {
  return (
    <select
      className={`select select-xs ${className}`}
      aria-label={label}
      value={value}
      disabled={disabled}
      onChange={(e) => onType(e.target.value as FieldType)}
    >
      {FIELD_TYPES.map((one) => (
        <option key={one}>{one}</option>
      ))}
      {children}
    </select>
  );
}
