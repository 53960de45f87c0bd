import { CompletionContext } from "@codemirror/autocomplete";
import { json } from "@codemirror/lang-json";
import { syntaxTree } from "@codemirror/language";
import { EditorState } from "@codemirror/state";
import { describe, expect, it } from "vitest";
import { completing } from "./completion";
import { written } from "./format";
import { nodeAt, pointerAt, stepsOf } from "./places";
import { begun, kindsOf, schemasAt, type Schema } from "./schema";

const MAPPING: Schema = {
  $defs: {
    Output: {
      type: "object",
      required: ["record_type"],
      properties: {
        record_type: { type: "string", description: "the record type it fills" },
        fields: { type: "array", items: { $ref: "#/$defs/Rule" } },
      },
    },
    Rule: {
      type: "object",
      properties: {
        name: { type: "string" },
        from: { anyOf: [{ type: "string" }, { type: "null" }] },
        convert: { type: "array", items: { anyOf: [{ $ref: "#/$defs/Case" }, { $ref: "#/$defs/Round" }] } },
      },
    },
    Case: {
      type: "object",
      properties: { type: { enum: ["case"] }, to: { enum: ["lower", "upper"] } },
    },
    Round: {
      type: "object",
      properties: { type: { enum: ["round"] }, digits: { type: "integer" } },
    },
  },
  type: "object",
  properties: {
    format: { enum: ["json", "xml"] },
    outputs: { type: "array", items: { $ref: "#/$defs/Output" } },
    namespaces: { type: "object", additionalProperties: { type: "string" } },
  },
};

const stateOf = (text: string) => EditorState.create({ doc: text, extensions: [json()] });
/** What is offered at | in a text. */
function offered(text: string, isExplicit = true, known: string[] = []) {
  const position = text.indexOf("|");
  const context = new CompletionContext(stateOf(text.replace("|", "")), position, isExplicit);
  const found = completing(MAPPING, () => known.map((one) => ({ text: one, detail: "" })))(context);
  return found?.options.map((one) => one.label).sort() ?? null;
}

describe("JSON for reading", () => {
  it("stands on one line as long as it fits", () => {
    expect(written({ name: "girth", from: "size", empty: undefined })).toBe('{"name": "girth", "from": "size"}');
    expect(written([])).toBe("[]");
  });
  it("is broken where it does not, and means the same", () => {
    const value = { key: ["number"], fields: [{ name: "number", type: "text" }], note: "x".repeat(40), none: null };
    expect(written(value).split("\n")[0]).toBe("{");
    expect(JSON.parse(written(value))).toEqual(value);
    expect(written(value, 20).split("\n").length).toBeGreaterThan(written(value).split("\n").length);
  });
});

describe("a place in a JSON text", () => {
  const text = '{"outputs": [{"record_type": "tree"}, {"a/b": {"~": [1, [2]]}}]}';
  it.each(["", "/outputs", "/outputs/0", "/outputs/0/record_type", "/outputs/1/a~1b/~0/1/0"])(
    "is found by its pointer, and gives it back: %s",
    (pointer) => {
      const state = stateOf(text);
      expect(pointerAt(state, nodeAt(state, pointer)!)).toBe(pointer);
    },
  );
  it("is the nearest one that is there", () => {
    const state = stateOf(text);
    expect(pointerAt(state, nodeAt(state, "/outputs/0/fields/3")!)).toBe("/outputs/0");
  });
  it("is known of a name as of its value", () => {
    const state = stateOf(text);
    const name = syntaxTree(state).resolveInner(text.indexOf("record_type") + 1);
    expect(pointerAt(state, name)).toBe("/outputs/0/record_type");
  });
  it("has its steps unescaped (RFC 6901)", () => {
    expect(stepsOf("/a~1b/~01")).toEqual(["a/b", "~1"]);
    expect(stepsOf("")).toEqual([]);
  });
});

describe("what a schema allows", () => {
  const none = () => new Map<string, string>();
  it("is found through references, lists and alternatives", () => {
    const kinds = schemasAt(MAPPING, "/outputs/0/fields/2/convert/0", none);
    expect(kinds.map((one) => Object.keys(one.properties ?? {})[1])).toEqual(["to", "digits"]);
    expect(schemasAt(MAPPING, "/namespaces/any", none)).toEqual([{ type: "string" }]);
    expect(schemasAt(MAPPING, "/nothing/there", none)).toEqual([]);
  });
  it("leaves out alternatives that need another text", () => {
    const told = (depth: number) => new Map(depth === 6 ? [["type", "round"]] : []);
    expect(schemasAt(MAPPING, "/outputs/0/fields/2/convert/0", told).length).toBe(1);
  });
  it("is told in a few words, and begins as what it is", () => {
    expect(kindsOf(MAPPING, MAPPING.$defs!.Rule!.properties!.from!)).toBe("a text");
    expect(kindsOf(MAPPING, MAPPING.properties!.format!)).toBe("json or xml");
    expect(kindsOf(MAPPING, {})).toBe("any value");
    expect(begun(MAPPING, MAPPING.properties!.outputs!)).toBe("[#{}]");
    expect(begun(MAPPING, { enum: ["case"] })).toBe('"case"');
    expect(begun(MAPPING, MAPPING.properties!.format!)).toBe('"#{}"');
  });
});

describe("completing", () => {
  it.each([
    ["{|}", ["format", "namespaces", "outputs"]],
    ['{"format": "json", |}', ["namespaces", "outputs"]],
    ['{"for|"}', ["format", "namespaces", "outputs"]],
    ['{"outputs": [{|}]}', ["fields", "record_type"]],
    ['{"format": "|"}', ["json", "xml"]],
    ['{"outputs": [{"fields": [{"convert": [{"type": "case", |}]}]}]}', ["to"]],
    ['{"outputs": [{"fields": [{"convert": [{"type": "|"}]}]}]}', ["case", "round"]],
  ])("offers what may stand there: %s", (text, labels) => {
    expect(offered(text)).toEqual(labels);
  });
  it("offers what is known of a place besides", () => {
    expect(offered('{"outputs": [{"fields": [{"from": "|"}]}]}', true, ["size", "place.street"])).toEqual([
      "place.street",
      "size",
    ]);
  });
  it("stays silent where nothing may stand, and where nobody asked", () => {
    expect(offered('{"outputs": 1|2}')).toBe(null);
    expect(offered("{|}", false)).toBe(null);
  });
});
