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

/** Where a step is added to a list: at its end, but before what ends the flow, as nothing is reached behind that. */
export function placeToAdd(held: Step[]): number {
  return held.at(-1)?.type === "end" ? held.length - 1 : held.length;
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
  return freeAmong(taken, name, "-");
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

/** A text that is not taken, with a number behind it if need be: `girth`, `girth 2`. */
export function freeAmong(taken: string[], wanted: string, separator = " "): string {
  let free = wanted;
  for (let number = 2; taken.includes(free); number++) free = `${wanted}${separator}${number}`;
  return free;
}

/** A value with an input named otherwise wherever a source names it. */
function renamed<T>(value: T, from: string, to: string): T {
  if (Array.isArray(value)) return value.map((one: unknown) => renamed(one, from, to)) as T;
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([key, one]: [string, unknown]) => {
      if (key === "input" && one === from) return [key, to];
      return [key, key === "value" ? one : renamed(one, from, to)];
    }),
  ) as T;
}

/** A flow whose input, or member of its reply, has another name, and so all that names it. */
export function withName(document: Document, of: "inputs" | "reply", number: number, name: string): Document {
  const old = document[of]?.[number]?.name ?? "";
  const made = put(document, `/${of}/${number}/name`, name);
  if (of === "inputs") return { ...made, steps: renamed(made.steps, old, name) };
  return { ...made, steps: (made.steps ?? []).map((step) => replying(step, old, name)) };
}

/** A step whose ends, however deep they stand, give a member of the reply another name. */
function replying(step: Step, old: string, name: string): Step {
  const all = (steps: Step[] | undefined) => (steps ?? []).map((one) => replying(one, old, name));
  if (step.type === "end" && step.reply && old in step.reply) {
    const reply = Object.entries(step.reply).map(([key, one]) => [key === old ? name : key, one] as const);
    return { ...step, reply: Object.fromEntries(reply) };
  }
  if (step.type === "decide") {
    const ways = (step.ways ?? []).map((way) => ({ ...way, steps: all(way.steps) }));
    return { ...step, ways, otherwise: all(step.otherwise) };
  }
  if ("on_failure" in step && step.on_failure) {
    const rules = step.on_failure.map((rule) => (rule.type === "instead" ? { ...rule, steps: all(rule.steps) } : rule));
    return { ...step, on_failure: rules };
  }
  return step;
}
