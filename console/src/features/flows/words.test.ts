import { describe, expect, it } from "vitest";
import { conditionWords, ruleWords, sourceWords, stepWords, time } from "./words";

describe("a flow in words", () => {
  it("says where values come from", () => {
    expect(sourceWords({ input: "number" })).toBe("number");
    expect(sourceWords({ result: "tree", at: "body.girth" })).toBe("tree › body.girth");
    expect(sourceWords({ result: "tree", at: { jsonpath: "$.a[0]" } })).toBe("tree › $.a[0]");
    expect(sourceWords({ value: "x" })).toBe('"x"');
    expect(sourceWords({ joined: [{ result: "a" }, { result: "b" }] })).toBe("a, b, one after the other");
  });
  it("says what steps do", () => {
    expect(stepWords({ type: "ask", name: "tree", ask: { operation: "find-tree" } })).toBe("Ask find-tree");
    expect(stepWords({ type: "ask", name: "tree", title: "Look it up", ask: { flow: "file" } })).toBe("Look it up");
    const each = { of: { result: "lots", at: "body" }, ask: { operation: "test" } };
    expect(stepWords({ type: "ask", name: "all", each })).toBe("Ask test for each of lots › body");
    expect(stepWords({ type: "pause", name: "yes", person: { question: "Fell it?" } })).toBe("Ask a person: Fell it?");
    expect(stepWords({ type: "pause", name: "wait", seconds: 7200 })).toBe("Wait 2 hours");
    expect(stepWords({ type: "end", name: "no", fail: { value: "gone" } })).toBe('End as failed: "gone"');
  });
  it("says what goes for them", () => {
    const step = {
      type: "ask" as const,
      name: "papers",
      together: [{ name: "a", operation: "a" }],
      success: { type: "what_succeeds" as const },
      time_limit: 5,
      on_failure: [
        { type: "repeat" as const, times: 2 },
        { type: "go_on" as const, kinds: ["time_over"] },
      ],
    };
    expect(ruleWords(step)).toEqual([
      "goes on with what succeeds, each failure beside it",
      "5 s at most",
      "if it fails and may pass: again, 2 times at most",
      "if it fails with time_over: goes on without it",
    ]);
    expect(conditionWords({ from: { result: "look", at: "agreed" }, value: true })).toBe("look › agreed is true");
    expect(conditionWords({ from: { result: "tree" }, is: "present" })).toBe("tree is there");
    expect([time(1), time(60), time(86_400), time(172_800), time(90)]).toEqual([
      "1 s",
      "1 minute",
      "1 day",
      "2 days",
      "90 s",
    ]);
  });
});
