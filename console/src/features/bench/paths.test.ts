import { describe, expect, it } from "vitest";
import {
  ancestors,
  fieldName,
  fromRow,
  generalPath,
  isCounterpart,
  isXPath,
  mapsIn,
  namedAfter,
  pathOf,
  sourceOf,
  sourceText,
  stepsText,
  wholePath,
} from "./paths";

const none = new Set<string>();

describe("paths of a response", () => {
  it.each([
    ["$['trees'][3]['number']", none, "$.trees[*].number"],
    ["$['trees'][3]['odd name']", none, "$.trees[*]['odd name']"],
    ["$['byYear']['2026']['girth']", new Set(["$.byYear"]), "$.byYear[*].girth"],
    ["/lab:results/lab:result[2]/lab:ph", none, "/lab:results/lab:result/lab:ph"],
    ["$", none, "$"],
  ])("%s is %s in general", (place, maps, general) => {
    expect(generalPath(place, maps)).toBe(general);
  });

  it("are told to be of JSON or of XML by how they begin", () => {
    expect([isXPath("/results/result"), isXPath("$.results"), isXPath("$")]).toEqual([true, false, false]);
  });

  it("lead from the row where they are within it", () => {
    expect(fromRow("$.trees[*].measures.girth", ["$.trees[*]"])).toBe("$.measures.girth");
    expect(fromRow("$.count", ["$.trees[*]"])).toBeNull();
    expect(fromRow("/r/t/p:ph", ["/r/t"])).toBe("p:ph");
  });

  it("of rows within rows are one path", () => {
    expect(wholePath(["$.districts[*]", "$.trees[*]"])).toBe("$.districts[*].trees[*]");
  });

  it("know which objects have keys that are data", () => {
    const lines = [
      { path: "$.byYear", key_count: 4 },
      { path: "$.trees", key_count: 0 },
    ];
    expect([...mapsIn(lines)]).toEqual(["$.byYear"]);
  });
});

describe("sources of a field", () => {
  it.each(["$.number", "$.measures.girth", '$["odd name"]', "$"])("%s is written and read back the same", (path) => {
    expect(pathOf(sourceOf(path), "json")).toBe(path);
  });

  it.each([
    ["measures.girth", "json", "measures › girth"],
    [{ input: "district" }, "json", "input district"],
    [{ standing: "season" }, "json", "standing value season"],
    [{ key: "year" }, "json", "the key of each year"],
    [{ value: 7 }, "json", "7"],
    [null, "json", ""],
  ])("%j is told to people", (source, format, words) => {
    expect(sourceText(source, format)).toBe(words);
  });

  it("of the row itself is its value", () => {
    expect(sourceText({ jsonpath: "$" }, "json")).toBe("the value");
    expect(stepsText("a.b[*].c")).toContain("c");
  });
});

describe("names", () => {
  it.each([
    ["$.measures.girthCm", [], "girth_cm"],
    ["$['@odata.etag']", [], "etag"],
    ["lab:pH/@unit", [], "unit"],
    ["$", [], "value"],
    ["$.number", ["number", "number_2"], "number_3"],
  ])("%s beside %j is called %s", (path, taken, name) => {
    expect(fieldName(path, taken)).toBe(name);
  });

  it.each([
    ["$.trees[*]", "/v1/anything", "tree"],
    ["$.value[*]", "/odata/Lots", "lot"],
    ["$[*]", "/v1/inspections/{id}", "inspection"],
    ["$.data.items[*]", "", "record"],
    ["/r:results/r:entry", "/results", "record"],
    ["$.species[*]", "/", "species"],
    ["$.boxes[*]", "/", "box"],
    ["$.analysis", "/", "analysis"],
    ["$[*]", "", "record"],
  ])("rows at %s of %s are called %s", (row, path, name) => {
    expect(namedAfter(row, path)).toBe(name);
  });
});

it("knows what is around a place, the root first", () => {
  expect(ancestors("/trees/3/number")).toEqual(["", "/trees", "/trees/3"]);
});

it("takes the same place in another row for its counterpart, and no other place", () => {
  expect(isCounterpart("/trees/1", "/trees/1")).toBe(true);
  expect(isCounterpart("/trees/1/girth", "/trees/10/girth")).toBe(true);
  expect(isCounterpart("/trees/1/girth", "/trees/1/height")).toBe(false);
  expect(isCounterpart(null, "/trees")).toBe(false);
});
