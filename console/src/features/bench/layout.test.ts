import { describe, expect, it } from "vitest";
import { type Holder, isFirstOf, laidOut, opensAtFirst, runAt } from "./layout";

function holder(count: number, open: [number, string][] = [], change: Partial<Holder> = {}): Holder {
  return { kind: "array", count, path: "$", isFirst: true, nodes: new Map(), open: new Map(open), ...change };
}

describe("the rows of a tree", () => {
  it("stand from the top down, with what is open right below its own row", () => {
    const holders = new Map([
      ["", holder(3, [[1, "/1"]])],
      ["/1", holder(2)],
    ]);
    const { runs, total } = laidOut(holders, () => {});
    expect(total).toBe(5);
    expect(runs.map((run) => [run.holder, run.first, run.length, run.depth])).toEqual([
      ["", 0, 2, 0],
      ["/1", 0, 2, 1],
      ["", 2, 1, 0],
    ]);
    expect([0, 1, 2, 3, 4].map((row) => runs[runAt(runs, row)]?.holder)).toEqual(["", "", "/1", "/1", ""]);
  });

  it("have a line for what is open and not read yet, which is asked for", () => {
    const asked: number[] = [];
    const { total } = laidOut(new Map([["", holder(2, [[0, "/0"]])]]), (_, position) => asked.push(position));
    expect([total, asked]).toEqual([3, [0]]);
  });

  it("are one line before anything is read", () => {
    expect(laidOut(new Map(), () => {}).total).toBe(1);
  });

  it("of a hundred thousand members are one run", () => {
    expect(laidOut(new Map([["", holder(100_000)]]), () => {}).runs).toHaveLength(1);
  });
});

describe("what is open at first", () => {
  const rule = { isMap: () => false, isSource: false, unfolded: null };
  const node = { pointer: "/0", kind: "object", count: 3 } as Parameters<typeof opensAtFirst>[0];

  it("is the first of a list, and every part of a small object", () => {
    expect(opensAtFirst(node, 0, 1, holder(9), rule)).toBe(true);
    expect(opensAtFirst(node, 1, 1, holder(9), rule)).toBe(false);
    expect(opensAtFirst(node, 7, 1, holder(9, [], { kind: "object" }), rule)).toBe(true);
    expect(opensAtFirst(node, 7, 1, holder(90, [], { kind: "object" }), rule)).toBe(false);
  });

  it("is nothing that is empty, deep, or beside the way of first elements", () => {
    expect(opensAtFirst({ ...node, count: 0 }, 0, 1, holder(9), rule)).toBe(false);
    expect(opensAtFirst(node, 0, 5, holder(9), rule)).toBe(false);
    expect(opensAtFirst(node, 0, 1, holder(9, [], { isFirst: false }), rule)).toBe(false);
  });

  it("of an object whose keys are data is only its first member", () => {
    const byYear = { ...rule, isMap: (path: string) => path === "$.byYear" };
    const held = holder(9, [], { kind: "object", path: "$.byYear" });
    expect([0, 1].map((position) => opensAtFirst(node, position, 1, held, byYear))).toEqual([true, false]);
    expect([0, 1].map((position) => isFirstOf(held, position, byYear.isMap))).toEqual([true, false]);
  });

  it("of a record's source is what lies within what was unfolded for it", () => {
    const source = { ...rule, isSource: true, unfolded: "/trees/4" };
    expect(opensAtFirst({ ...node, pointer: "/trees/4/measures" }, 2, 3, holder(9), source)).toBe(true);
    expect(opensAtFirst({ ...node, pointer: "/trees/5" }, 0, 2, holder(9), source)).toBe(false);
  });
});
