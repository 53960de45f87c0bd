/** A value as text: a text as it is, nothing for null, anything else as JSON. */
export function asText(value: unknown): string {
  if (value === null || value === undefined) return "";
  return typeof value === "string" ? value : JSON.stringify(value);
}
