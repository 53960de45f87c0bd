/** JSON for reading: what fits on a line stands on one. width: of a line, in characters. */
export function written(value: unknown, width = 68, indent = ""): string {
  const whole = inline(value);
  if (typeof value !== "object" || value === null || indent.length + whole.length <= width) return whole;
  const inner = `${indent}  `;
  const lines = Array.isArray(value)
    ? value.map((one) => inner + written(one, width, inner))
    : Object.entries(value)
        .filter(([, one]) => one !== undefined)
        .map(([name, one]) => `${inner}${JSON.stringify(name)}: ${written(one, width, inner)}`);
  const [open, close] = Array.isArray(value) ? "[]" : "{}";
  return `${open}\n${lines.join(",\n")}\n${indent}${close}`;
}

function inline(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(inline).join(", ")}]`;
  if (typeof value === "object" && value !== null)
    return `{${Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .map(([name, one]) => `${JSON.stringify(name)}: ${inline(one)}`)
      .join(", ")}}`;
  return JSON.stringify(value) ?? "null";
}
