/** A normalized path with every index as [*], the way outlines write it: $['trees'][3]['number'] -> $.trees[*].number */
export function generalPath(normalized: string): string {
  return normalized.replace(/\['((?:[^'\\]|\\.)*)'\]|\[\d+\]/g, (whole, name: string | undefined) => (name === undefined ? "[*]" : /^[A-Za-z_][A-Za-z0-9_]*$/.test(name) ? `.${name}` : whole));
}

/** A general path as seen from the row, or null if it lies outside of it or further inside a list. */
export function fromRow(general: string, rows: string[]): string | null {
  const whole = rows.map((path, number) => (number ? path.slice(1) : path)).join("");
  if (!general.startsWith(whole)) return null;
  const rest = general.slice(whole.length);
  return rest.includes("[*]") || (rest && !/^[.[]/.test(rest)) ? null : `$${rest}`;
}

/** The short form of a plain path ("measures.girth"), or the path written out. */
export function sourceOf(path: string): string | { jsonpath: string } {
  return /^\$(\.[A-Za-z_][A-Za-z0-9_]*)+$/.test(path) ? path.slice(2) : { jsonpath: path };
}

export function pathOf(source: unknown): string | null {
  if (typeof source === "string") return `$.${source}`;
  if (typeof source === "object" && source !== null && "jsonpath" in source && typeof source.jsonpath === "string" && !("level" in source)) return source.jsonpath;
  return null;
}

/** The pointers of everything around a place, the root first. */
export function ancestors(pointer: string): string[] {
  const parts = pointer.split("/").slice(1);
  return parts.map((_, number) => parts.slice(0, number).map((part) => `/${part}`).join(""));
}

/** A field's name from the last step of a path. */
export function fieldName(path: string, taken: string[]): string {
  const last = path.split(/[.[\]']+/).filter(Boolean).pop() ?? "value";
  let name = last.replace(/([a-z0-9])([A-Z])/g, "$1_$2").toLowerCase().replace(/[^a-z0-9]+/g, "_").replace(/^[^a-z]+|_+$/g, "") || "value";
  if (taken.includes(name)) {
    let number = 2;
    while (taken.includes(`${name}_${number}`)) number += 1;
    name = `${name}_${number}`;
  }
  return name;
}

/** A record type's name from a row path: $.trees[*] -> tree */
export function singular(path: string): string {
  const last = path.replace(/\[\*\]/g, "").split(".").pop()?.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^[^a-z]+|-+$/g, "") ?? "";
  return (last.endsWith("ies") ? `${last.slice(0, -3)}y` : last.endsWith("s") && !last.endsWith("ss") ? last.slice(0, -1) : last) || "record";
}
