/** A value as text: a text as it is, nothing for null, anything else as JSON. */
export function asText(value: unknown): string {
  if (value === null || value === undefined) return "";
  return typeof value === "string" ? value : JSON.stringify(value);
}

/** Values by name, each as a text to be typed in. */
export function asTexts(values: Record<string, unknown>): Record<string, string> {
  return Object.fromEntries(Object.entries(values).map(([name, value]) => [name, asText(value)]));
}
