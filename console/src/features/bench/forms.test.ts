import { describe, expect, it } from "vitest";
import { comparedText, comparedWith, type ComparisonForm, comparisonOf, plainValue } from "./forms";

const forms: ComparisonForm[] = [
  { name: "equal", words: "is", takes: "value" },
  { name: "one_of", words: "is one of", takes: "list" },
  { name: "matches", words: "matches", takes: "value" },
  { name: "present", words: "is there", takes: "nothing" },
];
const of = (name: string) => comparisonOf(forms, name);

describe("what a comparison is given", () => {
  it.each([
    ["equal", "oak", false, "oak"],
    ["equal", "2.5", true, 2.5],
    ["equal", "2.5", false, "2.5"],
    ["equal", "true", false, true],
    ["matches", "12", true, "12"],
    ["one_of", "oak, lime,", false, ["oak", "lime"]],
    ["one_of", "1, 2", true, [1, 2]],
    ["present", "oak", false, undefined],
  ])("%s %s (a number: %s) is %j", (name, text, isNumber, value) => {
    expect(comparedWith(of(name), text, isNumber)).toEqual(value);
  });

  it("is written the way it was read", () => {
    for (const [name, text] of [
      ["equal", "oak"],
      ["one_of", "oak, lime"],
      ["equal", "2.5"],
    ] as const)
      expect(comparedText(comparedWith(of(name), text, true))).toBe(text);
    expect(comparedText(undefined)).toBe("");
  });

  it("leaves texts that only begin like numbers as they are", () => {
    expect([plainValue("1,5", true), plainValue("12 m", true), plainValue("-3", true)]).toEqual(["1,5", "12 m", -3]);
  });
});

it("knows a comparison by its name, equal if it has none, and takes an unknown one for one with a value", () => {
  expect(comparisonOf(forms, undefined).words).toBe("is");
  expect(comparisonOf(forms, "starts_with")).toEqual({ name: "starts_with", words: "starts with", takes: "value" });
});
