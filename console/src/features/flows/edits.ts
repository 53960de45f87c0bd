import type { Document, Source, Step } from "./words";

/** The tokens of a JSON Pointer (RFC 6901). */
const tokens = (pointer: string) =>
  pointer
    .split("/")
    .slice(1)
    .map((one) => one.replaceAll("~1", "/").replaceAll("~0", "~"));

type Held = Record<string, unknown>;

/** What stands at a place; undefined if nothing does. */
export function at(value: unknown, pointer: string): unknown {
  return tokens(pointer).reduce<unknown>((held, token) => (held as Held | undefined)?.[token], value);
}

/** A document with another value at a place, made on the way there as it is needed; undefined takes it out. */
export function put<T>(document: T, pointer: string, value: unknown): T {
  const [first, ...rest] = tokens(pointer);
  if (first === undefined) return value as T;
  const inner = rest.length ? `/${rest.map((one) => one.replaceAll("~", "~0").replaceAll("/", "~1")).join("/")}` : "";
  if (Array.isArray(document)) {
    const list: unknown[] = [...document];
    if (!inner && value === undefined) list.splice(Number(first), 1);
    else list[Number(first)] = inner ? put(list[Number(first)] ?? {}, inner, value) : value;
    return list as T;
  }
  const next: Held = { ...(document as Held) };
  if (!inner && value === undefined) delete next[first];
  else next[first] = inner ? put(next[first] ?? {}, inner, value) : value;
  return next as T;
}

/** The list that a step stands in, and its number there. */
export function listOf(pointer: string): [string, number] {
  const cut = pointer.lastIndexOf("/");
  return [pointer.slice(0, cut), Number(pointer.slice(cut + 1))];
}

/** A document with a step at a place of a list. */
export function insert(document: Document, list: string, number: number, step: Step): Document {
  const held = (at(document, list) ?? []) as Step[];
  return put(document, list, [...held.slice(0, number), step, ...held.slice(number)]);
}

/** A document whose step stands one place earlier or later in its list. */
export function move(document: Document, pointer: string, by: -1 | 1): Document {
  const [list, number] = listOf(pointer);
  const held = [...((at(document, list) ?? []) as Step[])];
  const [step] = held.splice(number, 1);
  if (!step || number + by < 0 || number + by > held.length) return document;
  held.splice(number + by, 0, step);
  return put(document, list, held);
}

/** A name that is not taken: `tree`, `tree-2`. */
export function freeName(taken: string[], wanted: string): string {
  const name =
    wanted
      .toLowerCase()
      .replace(/[^a-z0-9_-]/g, "-")
      .replace(/^[^a-z]+/, "") || "step";
  let free = name;
  for (let number = 2; taken.includes(free); number++) free = `${name}-${number}`;
  return free;
}

/** A path as a JSON Pointer, where it names members and numbers alone; null if it does not. */
export function pointerOf(path: NonNullable<Source["at"]>): string | null {
  if (path === "") return "";
  const text = typeof path === "string" ? `$.${path}` : (path.jsonpath ?? "");
  const steps = [...text.slice(1).matchAll(/\.([\w-]+)|\[(\d+)\]|\['((?:[^'\\])*)'\]/g)];
  if (!text.startsWith("$") || `$${steps.map(([whole]) => whole).join("")}` !== text) return null;
  return steps
    .map(
      ([, name, number, quoted]) => `/${(name ?? number ?? quoted ?? "").replaceAll("~", "~0").replaceAll("/", "~1")}`,
    )
    .join("");
}
