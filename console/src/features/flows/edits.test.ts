import { describe, expect, it } from "vitest";
import { at, freeName, insert, move, placeToAdd, pointerOf, put, withName } from "./edits";
import type { Document } from "./words";

const flow: Document = {
  inputs: [],
  steps: [
    { type: "pause", name: "a", seconds: 1 },
    { type: "decide", name: "b", ways: [{ when: [], steps: [{ type: "end", name: "c", reply: {} }] }] },
  ],
};

describe("a flow that is edited", () => {
  it("has values put in and taken out by their places", () => {
    const pointer = "/steps/1/ways/0/steps/0/reply/a~1b";
    const made = put(flow, pointer, { input: "x" });
    expect(at(made, pointer)).toEqual({ input: "x" });
    expect(at(put(made, pointer, undefined), "/steps/1/ways/0/steps/0")).toEqual({ type: "end", name: "c", reply: {} });
    expect(at(flow, pointer)).toBeUndefined();
    expect(put(flow, "/steps/0", undefined).steps).toHaveLength(1);
  });
  it("has paths as places where they name members alone", () => {
    expect(pointerOf("body.girth")).toBe("/body/girth");
    expect(pointerOf({ jsonpath: "$.records.paper[0]['a/b']" })).toBe("/records/paper/0/a~1b");
    expect(pointerOf({ jsonpath: "$.a[*]" })).toBeNull();
    expect(pointerOf("")).toBe("");
  });
  it("has inputs named otherwise wherever they are named, and nothing else", () => {
    const asks: Document = {
      inputs: [{ name: "number" }, { name: "other" }],
      reply: [{ name: "it" }],
      steps: [
        { type: "ask", name: "a", ask: { operation: "o", inputs: { number: { joined: [{ input: "number" }] } } } },
        {
          type: "decide",
          name: "d",
          ways: [{ when: [{ from: { value: { input: "number" } } }], steps: [] }],
          otherwise: [{ type: "end", name: "e", reply: { it: { input: "number" } } }],
        },
      ],
    };
    const made = withName(asks, "inputs", 0, "tree");
    expect(made.inputs?.map((one) => one.name)).toEqual(["tree", "other"]);
    expect(at(made, "/steps/0/ask/inputs/number/joined/0")).toEqual({ input: "tree" });
    expect(at(made, "/steps/1/ways/0/when/0/from/value")).toEqual({ input: "number" });
    expect(at(made, "/steps/1/otherwise/0/reply/it")).toEqual({ input: "tree" });
    expect(at(withName(asks, "reply", 0, "papers"), "/steps/1/otherwise/0/reply")).toEqual({
      papers: { input: "number" },
    });
  });
  it("has steps added and moved", () => {
    const made = insert(flow, "/steps", 1, { type: "pause", name: freeName(["a", "b"], "A"), seconds: 2 });
    expect(made.steps?.map((one) => one.name)).toEqual(["a", "a-2", "b"]);
    expect(move(made, "/steps/1", -1).steps?.map((one) => one.name)).toEqual(["a-2", "a", "b"]);
    expect(move(made, "/steps/2", 1).steps?.map((one) => one.name)).toEqual(["a", "a-2", "b"]);
    expect(placeToAdd([])).toBe(0);
    expect(placeToAdd([{ type: "end", name: "e", reply: {} }])).toBe(0);
    expect(placeToAdd([...(flow.steps ?? []), { type: "pause", name: "p", seconds: 1 }])).toBe(
      (flow.steps?.length ?? 0) + 1,
    );
    expect(insert(flow, "/steps/1/otherwise", 0, { type: "end", name: "d", reply: {} }).steps?.[1]).toHaveProperty(
      "otherwise",
    );
  });
});
