import { asText } from "../../ui/text";

/** Whether a path is an XPath (from the document or from the row); JSONPaths begin with $. */
export function isXPath(path: string): boolean {
  return !path.startsWith("$");
}

/** A place's path without its numbers and without keys that are data, the way outlines write it: $['trees'][3]['number'] -> $.trees[*].number,
 * /a/b[2]/@c -> /a/b/@c. maps: the objects whose keys are data. */
export function generalPath(place: string, maps: ReadonlySet<string>): string {
  if (isXPath(place)) return place.replace(/\[\d+\]/g, "");
  let path = "$";
  for (const [step, name] of place.matchAll(/\['((?:[^'\\]|\\.)*)'\]|\[\d+\]/g)) {
    path += name === undefined || maps.has(path) ? "[*]" : /^[A-Za-z_][A-Za-z0-9_]*$/.test(name) ? `.${name}` : step;
  }
  return path;
}

/** The objects of an outline whose keys are data. */
export function mapsIn(lines: { path: string; key_count: number }[]): ReadonlySet<string> {
  return new Set(lines.filter((one) => one.key_count > 0).map((one) => one.path));
}

/** The path of the rows from the whole response: all levels together. */
export function wholePath(rows: string[]): string {
  if (isXPath(rows[0] ?? "$")) return rows.join("/");
  return rows.map((path, number) => (number ? path.slice(1) : path)).join("");
}

/** A general path as seen from the row, or null if it lies outside of it or further inside a list. */
export function fromRow(general: string, rows: string[]): string | null {
  const whole = wholePath(rows);
  if (!general.startsWith(whole)) return null;
  const rest = general.slice(whole.length);
  if (isXPath(whole)) return rest === "" ? "." : rest.startsWith("/") ? rest.slice(1) : null;
  return rest.includes("[*]") || (rest && !/^[.[]/.test(rest)) ? null : `$${rest}`;
}

/** The short form of a plain path ("measures.girth", in XML "soil:ph/@unit"), or the path written out. */
export function sourceOf(path: string): string | { jsonpath: string } {
  if (isXPath(path)) return path;
  return /^\$(\.[A-Za-z_][A-Za-z0-9_]*)+$/.test(path) ? path.slice(2) : { jsonpath: path };
}

/** The path of a rule's source from the row, null if it has none. format: of the mapping. */
export function pathOf(source: unknown, format: string | undefined): string | null {
  if (typeof source === "string") return format === "xml" ? source : `$.${source}`;
  if (typeof source !== "object" || source === null || "level" in source) return null;
  if ("jsonpath" in source && typeof source.jsonpath === "string") return source.jsonpath;
  return "xpath" in source && typeof source.xpath === "string" ? source.xpath : null;
}

/** Where a value comes from, for people. */
export function sourceText(source: unknown, format: string | undefined): string {
  const path = pathOf(source, format);
  if (path !== null) return stepsText(path) || "the value";
  if (typeof source !== "object" || source === null) return "";
  const [[word, value]] = Object.entries(source).filter(([name]) => name !== "level") as [[string, unknown]];
  const name = asText(value);
  if (word === "key") return `the key of each ${name}`;
  if (word === "position") return `the number of each ${name}`;
  if (word === "input" || word === "standing" || word === "header")
    return `${word === "standing" ? "standing value" : word} ${name}`;
  if (word === "value") return JSON.stringify(value);
  if ("level" in source && typeof value === "string") return `${stepsText(value)} of ${asText(source.level)}`;
  return JSON.stringify(source);
}

/** A path for people: its steps. */
export function stepsText(path: string): string {
  return isXPath(path)
    ? path.replace(/^\.$/, "").replaceAll("/", " › ")
    : path.replace(/^\$\.?/, "").replaceAll(".", " › ");
}

/** Whether two places are the same but for the rows that they are in. */
export function isCounterpart(one: string | null, other: string | null): boolean {
  const inAnyRow = (pointer: string) => pointer.replace(/\/\d+(?=\/|$)/g, "/*");
  return one !== null && other !== null && inAnyRow(one) === inAnyRow(other);
}

/** The pointers of everything around a place, the root first. */
export function ancestors(pointer: string): string[] {
  const parts = pointer.split("/").slice(1);
  return parts.map((_, number) =>
    parts
      .slice(0, number)
      .map((part) => `/${part}`)
      .join(""),
  );
}

/** The names that a path goes through, without namespaces. */
function namesIn(path: string): string[] {
  if (!isXPath(path)) return path.split(/[.[\]']+/).filter((one) => one && one !== "$" && one !== "*");
  return path
    .split("/")
    .map((step) =>
      step
        .replace(/\[.*\]$/, "")
        .replace(/^@/, "")
        .replace(/^[^:]*:/, "")
        .replace(/^text\(\)$|^\.$/, ""),
    )
    .filter(Boolean);
}

/** A field's name from the last step of a path. */
export function fieldName(path: string, taken: string[]): string {
  const last = namesIn(path).pop() ?? "value";
  let name =
    last
      .replace(/([a-z0-9])([A-Z])/g, "$1_$2")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "_")
      .replace(/^[^a-z]+|_+$/g, "") || "value";
  if (taken.includes(name)) {
    let number = 2;
    while (taken.includes(`${name}_${number}`)) number += 1;
    name = `${name}_${number}`;
  }
  return name;
}

/** Names of lists that say nothing of what they hold. */
const ENVELOPES = new Set([
  "value",
  "result",
  "item",
  "row",
  "record",
  "data",
  "d",
  "entry",
  "element",
  "node",
  "edge",
  "list",
  "envelope",
  "body",
  "response",
]);

/**
 * What one row is called: after the innermost step of its path that says something, or after the last step of the
 * operation's path.
 */
export function namedAfter(row: string, operationPath: string): string {
  const plain = operationPath
    .replace(/\{[^}]*\}/g, "")
    .split("/")
    .filter(Boolean);
  return (
    [...plain.slice(-1), ...namesIn(row)]
      .map(singular)
      .reverse()
      .find((one) => !ENVELOPES.has(one)) ?? "record"
  );
}

/** Endings of plurals and of their singulars, as the service proposes names (`core/names.py`). */
const ENDINGS = [
  ["ies", "y"],
  ["sses", "ss"],
  ["xes", "x"],
  ["ches", "ch"],
  ["shes", "sh"],
] as const;

/** A record type's name from the name of what repeats: trees -> tree, boxes -> box; species stay species. */
function singular(name: string): string {
  const plain = name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^[^a-z]+|-+$/g, "");
  if (/(species|series)$/.test(plain)) return plain;
  const ending = ENDINGS.find(([many]) => plain.endsWith(many) && plain.length > many.length + 1);
  if (ending) return plain.slice(0, -ending[0].length) + ending[1];
  return (/s$/.test(plain) && !/(ss|us|is)$/.test(plain) && plain.length > 2 ? plain.slice(0, -1) : plain) || "record";
}
