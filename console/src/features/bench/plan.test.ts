import { describe, expect, it } from "vitest";
import {
  addPart,
  confirm,
  conditionsOf,
  dropCondition,
  dropPart,
  isOrOne,
  isSame,
  leave,
  namedFor,
  only,
  openFields,
  type Plan,
  rename,
  renameType,
  rulesOf,
  setField,
  setOrOne,
  setRule,
  take,
  takenPaths,
  toggleKey,
  withCondition,
} from "./plan";

function plan(change: Partial<Plan> = {}): Plan {
  return {
    rows: ["$.trees[*]"],
    typeName: "tree",
    mappingName: "trees",
    recordType: { fields: [{ name: "number", type: "text" }], key: ["number"] },
    mapping: {
      format: "json",
      outputs: [
        {
          record_type: "tree",
          rows: [{ level: "tree", at: "trees[*]" }],
          fields: [{ name: "number", from: "number", required: true }],
        },
      ],
    },
    notes: [],
    linked: {},
    proposed: { number: "same name" },
    unsure: ["number"],
    isShared: false,
    parts: [],
    ...change,
  };
}

const names = (made: Plan) => (made.recordType.fields ?? []).map((one) => one.name);

describe("taking and leaving values", () => {
  it("makes a field and a rule, under a free name, and leaves the plan before as it was", () => {
    const before = plan();
    const made = take(take(before, "$.measures.girth", "decimal"), "$.other.girth", "decimal");
    expect(names(made)).toEqual(["number", "girth", "girth_2"]);
    expect(rulesOf(made).map((one) => one.from)).toEqual(["number", "measures.girth", "other.girth"]);
    expect(names(before)).toEqual(["number"]);
    expect([...takenPaths(made).values()]).toEqual(["number", "girth", "girth_2"]);
  });

  it("fills a field that is there, with the steps only where the type is the same", () => {
    const open = plan({
      recordType: {
        fields: [
          { name: "number", type: "text" },
          { name: "girth", type: "decimal" },
        ],
        key: ["number"],
      },
    });
    expect(openFields(open).map((one) => one.name)).toEqual(["girth"]);
    const steps = [{ type: "trim" as const }];
    expect(rulesOf(take(open, "$.girth_cm", "decimal", steps, "girth"))[1]).toEqual({
      name: "girth",
      from: "girth_cm",
      convert: steps,
    });
    expect(rulesOf(take(open, "$.girth_cm", "text", steps, "girth"))[1]?.convert).toBeUndefined();
  });

  it("keeps JSON values out of what is searchable", () => {
    const [, field] = take(plan(), "$.measures", "json").recordType.fields!;
    expect(field).toEqual({ name: "measures", type: "json", searchable: false });
  });

  it("leaves a field with its rule and its part in the key; of a shared type the rule alone", () => {
    const made = leave(take(plan(), "$.girth", "decimal"), "number");
    expect([names(made), made.recordType.key, rulesOf(made).map((one) => one.name)]).toEqual([
      ["girth"],
      [],
      ["girth"],
    ]);
    const shared = leave(plan({ isShared: true }), "number");
    expect([names(shared), shared.recordType.key, rulesOf(shared)]).toEqual([["number"], ["number"], []]);
  });
});

describe("changing fields", () => {
  it("renames a field everywhere, and onto one that nothing fills yet", () => {
    const made = rename(plan(), "number", "code");
    expect([names(made), made.recordType.key, rulesOf(made)[0]?.name]).toEqual([["code"], ["code"], "code"]);
    const both = plan({
      recordType: {
        fields: [
          { name: "number", type: "text" },
          { name: "code", type: "text" },
        ],
        key: ["code"],
      },
    });
    const onto = rename(both, "number", "code");
    expect([names(onto), rulesOf(onto)]).toEqual([["code"], [{ name: "code", from: "number", required: true }]]);
  });

  it("makes a field a key, required, and takes it out again", () => {
    const made = toggleKey(take(plan(), "$.year", "integer"), "year");
    expect(made.recordType.key).toEqual(["number", "year"]);
    expect(rulesOf(made)[1]?.required).toBe(true);
    expect(rulesOf(toggleKey(made, "year"))[1]?.required).toBe(false);
  });

  it("sets types, units and steps of one field alone", () => {
    const made = setField(take(plan(), "$.girth", "decimal"), "girth", { unit: "m" });
    expect(made.recordType.fields).toEqual([
      { name: "number", type: "text" },
      { name: "girth", type: "decimal", searchable: true, unit: "m" },
    ]);
    const stepped = setRule(made, "girth", { on_failure: "empty" });
    expect(rulesOf(stepped).map((one) => one.on_failure)).toEqual([undefined, "empty"]);
  });

  it("takes what was confirmed out of what was only proposed", () => {
    expect(confirm(plan(), "number").proposed).toEqual({});
  });
});

describe("rows", () => {
  it("has one condition for each value", () => {
    const made = only(only(plan(), "kind", "oak"), "kind", "lime");
    expect(conditionsOf(made)).toEqual([{ from: "kind", is: "equal", value: "lime" }]);
    const two = withCondition(made, { from: "girth", is: "present" });
    expect(conditionsOf(two)).toHaveLength(2);
    expect(conditionsOf(dropCondition(two, 0))).toEqual([{ from: "girth", is: "present" }]);
  });

  it("writes members with odd names so that they can be read", () => {
    expect(conditionsOf(only(plan(), "odd name", "x"))[0]?.from).toEqual({ jsonpath: '$["odd name"]' });
  });

  it("takes one object for a list of one, and no longer", () => {
    const made = setOrOne(plan(), true);
    expect(isOrOne(made)).toBe(true);
    expect(setOrOne(made, false).mapping).toEqual(plan().mapping);
  });

  it("changes nothing of a plan without an output", () => {
    const empty = plan({ mapping: {} });
    for (const same of [setOrOne(empty, true), dropCondition(empty, 0), toggleKey(empty, "number")])
      expect(same).toBe(empty);
  });
});

describe("record types", () => {
  const part = {
    name: "tree-visit",
    path: "$.visits",
    record_type: {
      fields: [
        { name: "tree_number", type: "text" as const },
        { name: "on", type: "date" as const },
      ],
      key: ["tree_number", "on"],
      links: [{ record_type: "tree", fields: ["tree_number"] }],
    },
    output: {
      record_type: "tree-visit",
      fields: [
        { name: "tree_number", from: "number" },
        { name: "on", from: "on" },
      ],
    },
  } as Parameters<typeof addPart>[1];

  it("follow a new name of the type that they are linked to", () => {
    const made = renameType(addPart(plan(), part), "oak");
    expect(made.mapping.outputs?.map((one) => one.record_type)).toEqual(["oak", "tree-visit"]);
    expect(made.linked["tree-visit"]?.links).toEqual([{ record_type: "oak", fields: ["tree_number"] }]);
  });

  it("are named after the type as it is called now", () => {
    const made = namedFor(part, "oak");
    expect([made.name, made.record_type.key, made.output.fields?.map((one) => one.name)]).toEqual([
      "oak-visit",
      ["oak_number", "on"],
      ["oak_number", "on"],
    ]);
    expect(namedFor(part, "tree")).toBe(part);
  });

  it("go with all that belongs to them", () => {
    expect(dropPart(addPart(plan(), part), "tree-visit")).toEqual(plan());
  });
});

it("compares documents whatever the order of their members", () => {
  expect(isSame({ a: 1, b: [{ c: 2, d: 3 }] }, { b: [{ d: 3, c: 2 }], a: 1 })).toBe(true);
  expect(isSame([1, 2], [2, 1])).toBe(false);
});
