import { stepsOf } from "./places";

/** JSON Schema (2020-12), as far as completing needs it. */
export interface Schema {
  $ref?: string;
  $defs?: Record<string, Schema>;
  anyOf?: Schema[];
  type?: string;
  description?: string;
  properties?: Record<string, Schema>;
  required?: string[];
  additionalProperties?: Schema | boolean;
  items?: Schema;
  enum?: unknown[];
  const?: unknown;
}

/**
 * What a schema may be: references followed, alternatives apart. told: the object's own texts, which leave out
 * alternatives that need others.
 */
function alternatives(root: Schema, schema: Schema, told: Map<string, string>): Schema[] {
  if (schema.$ref) {
    const meant = root.$defs?.[schema.$ref.split("/").pop()!];
    return meant ? alternatives(root, meant, told) : [];
  }
  if (schema.anyOf) return schema.anyOf.flatMap((one) => alternatives(root, one, told));
  const isOther = Object.entries(schema.properties ?? {}).some(
    ([name, one]) => one.enum?.length === 1 && told.get(name) && told.get(name) !== one.enum[0],
  );
  return isOther ? [] : [schema];
}

/** All that a value may be. told: gives the texts of the object at a number of steps on the way. */
export function schemasAt(root: Schema, pointer: string, told: (depth: number) => Map<string, string>): Schema[] {
  const steps = stepsOf(pointer);
  let found = alternatives(root, root, told(0));
  for (const [number, step] of steps.entries()) {
    const inner = found.flatMap((one) => {
      const meant =
        one.type === "array"
          ? one.items
          : (one.properties?.[step] ??
            (typeof one.additionalProperties === "object" ? one.additionalProperties : undefined));
      return meant ? [meant] : [];
    });
    found = inner.flatMap((one) => alternatives(root, one, told(number + 1)));
  }
  return found;
}

const WORDS: Record<string, string> = {
  array: "a list",
  string: "a text",
  integer: "a whole number",
  number: "a number",
  boolean: "true or false",
  object: "an object",
};

/** The kinds of a value in a few words. */
export function kindsOf(root: Schema, schema: Schema): string {
  const kinds = alternatives(root, schema, new Map()).flatMap(
    (one) => one.enum?.map(String) ?? [WORDS[one.type ?? ""] ?? one.type ?? "any value"],
  );
  const told = [...new Set(kinds)].filter((one) => one !== "null");
  return told.length > 4 ? `${told.slice(0, 3).join(", ")} …` : told.join(" or ");
}

/** How a value begins: as text with the place to go on writing in it. */
export function begun(root: Schema, schema: Schema): string {
  const kinds = alternatives(root, schema, new Map());
  const choices = kinds.flatMap((one) => one.enum ?? []);
  if (choices.length === 1) return JSON.stringify(choices[0]);
  return (
    { string: '"#{}"', array: "[#{}]", object: "{#{}}", boolean: "#{true}", integer: "#{0}", number: "#{0}" }[
      choices.length ? "string" : (kinds[0]?.type ?? "")
    ] ?? "#{}"
  );
}
