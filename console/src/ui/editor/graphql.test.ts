import { EditorState } from "@codemirror/state";
import { graphqlLanguage } from "cm6-graphql";
import { describe, expect, it } from "vitest";
import { fieldPlaceAt, queryTo, rangeOf } from "./graphql";

/** A text with | where the cursor is. */
function at(text: string) {
  const state = EditorState.create({ doc: text.replace("|", ""), extensions: [graphqlLanguage] });
  return fieldPlaceAt(state, text.indexOf("|"));
}

describe("the place of a field", () => {
  it.each([
    ["{ | }", []],
    ["{ insp| }", []],
    ["query Q { inspections { nodes { id | } } }", ["inspections", "nodes"]],
    ["query Q { inspections { nodes { id tr| } } }", ["inspections", "nodes"]],
    ["{ all: inspections(first: 2) { | } }", ["inspections"]],
    ["{ inspections { nodes { id }  | } }", ["inspections"]],
    ["{ inspections { nodes { id| ", ["inspections", "nodes"]],
  ])("in %s", (text, path) => {
    expect(at(text)?.path).toEqual(path);
  });
  it.each([
    ["mutation { | }", "mutation"],
    ["{ | }", "query"],
    ["query { | }", "query"],
  ])("is of the operation's kind: %s", (text, kind) => {
    expect(at(text)?.kind).toBe(kind);
  });
  it("begins with the name that is begun there", () => {
    expect(at("{ insp| }")?.from).toBe(2);
  });
  it.each([
    "{ inspections(fi|rst: 2) { id } }",
    "query Q($fi|rst: Int) { id }",
    "query |",
    "{ trees { ... on Oak { a| } } }",
    "fragment F on Tree { a| }",
    '{ trees(name: "a|b") { id } }',
    "|",
  ])("is not in %s", (text) => {
    expect(at(text)).toBe(null);
  });
});

it("leads to a place by the shortest query", () => {
  expect(queryTo({ kind: "query", path: [] })).toBe("query { __typename }");
  expect(queryTo({ kind: "mutation", path: ["a", "b"] })).toBe("mutation { a { b { __typename } } }");
});

it("shows a problem at the name that stands there, and never outside of the text", () => {
  const state = EditorState.create({ doc: "{\n  trees { numbre }\n}" });
  expect(rangeOf(state, "/body/query, line 2, column 11")).toEqual({ from: 12, to: 18 });
  expect(rangeOf(state, "/body/query, line 3, column 2")).toEqual({ from: 22, to: 22 });
  expect(rangeOf(state, "/body/query, line 9, column 1")).toEqual({ from: 0, to: 0 });
  expect(rangeOf(state, "/body/query")).toEqual({ from: 0, to: 0 });
});
