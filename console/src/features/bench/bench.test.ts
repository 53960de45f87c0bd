import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { bytes } from "../../ui/parts";
import { calledAs, nameOf } from "../services/services";
import { isReading, withPasted, type OperationDocument } from "./bench";
import { stepWords } from "./Convert";
import { sourceOfValue } from "./Parameters";
import type { Conversion } from "./plan";
import { bodiesBeside, type Sample } from "./responses";

describe("an operation", () => {
  it.each([
    [{}, true],
    [{ method: "HEAD" }, true],
    [{ method: "POST" }, false],
    [{ method: "DELETE" }, false],
    [{ method: "POST", body: { type: "graphql", kind: "query" } }, true],
    [{ method: "POST", body: { type: "graphql" } }, true],
    [{ method: "POST", body: { type: "graphql", kind: "mutation" } }, false],
    [{ method: "POST", body: { type: "soap", reads: true } }, true],
    [{ method: "POST", body: { type: "soap" } }, false],
    [{ method: "GET", body: { type: "soap" } }, false],
  ])("reads or may write: %j", (document, reads) => {
    expect(isReading(document as OperationDocument)).toBe(reads);
  });
  it.each([
    [{}, "GET /"],
    [{ method: "POST", path: "/trees" }, "POST /trees"],
    [{ path: "/trees", came_from: { key: "GET /trees" } }, "GET /trees"],
    [{ path: "/Lots", odata: {}, came_from: { key: "GET /Lots" } }, "GET /Lots"],
    [{ method: "POST", path: "/graphql", body: { type: "graphql" }, came_from: { key: "inspections" } }, "inspections"],
    [{ method: "POST", path: "/", body: { type: "soap" } }, "POST /"],
  ])("is told from others: %j", (document, words) => {
    expect(calledAs(document as OperationDocument)).toBe(words);
  });
  it("takes from a list of parameters what it has not yet, and the whole of anything else", () => {
    const document = {
      path: "/trees",
      query: [{ name: "limit", value: "5" }],
      inputs: [{ name: "district" }],
    } as OperationDocument;
    const operation = {
      path: "/",
      query: [{ name: "limit" }, { name: "street" }],
      inputs: [{ name: "street" }, { name: "district" }],
    };
    const pasted = (kind: string) => withPasted(document, { kind, operation } as unknown as Schemas["PasteParts"]);
    expect(pasted("parameters")).toEqual({
      path: "/trees",
      query: [{ name: "limit", value: "5" }, { name: "street" }],
      inputs: [{ name: "district" }, { name: "street" }],
    });
    expect(pasted("address")).toEqual(operation);
  });
});

it.each([
  ["Terrazze", "fixed"],
  [undefined, "fixed"],
  [{ input: "district" }, "input:district"],
  [{ standing: "season" }, "standing:season"],
  [{ prepared: "of-street" }, "prepared:of-street"],
  [["a", { input: "b" }], "parts"],
])("a value comes from somewhere: %j", (value, source) => {
  expect(sourceOfValue(value as Parameters<typeof sourceOfValue>[0])).toBe(source);
});

it.each([
  [{ type: "trim" }, "trim"],
  [{ type: "number", decimal: ",", percent: false, grouping: "" }, "number ,"],
  [{ type: "arithmetic", multiply: "1.8", add: "32" }, "multiply 1.8 add 32"],
  [{ type: "date", patterns: ["dd.MM.yyyy", "yyyy"] }, "date dd.MM.yyyy or yyyy"],
  [{ type: "table", values: { "1": "oak", "2": "lime", "3": "ash", "4": "elm" } }, "table 1=oak 2=lime 3=ash"],
  [{ type: "affix", suffix: " m" }, "affix suffix  m"],
])("a step is told in a few words: %j", (step, words) => {
  expect(stepWords(step as unknown as Conversion)).toBe(words);
});

describe("samples beside a response", () => {
  const sample = (body: string, media_type = "application/json") => ({ body, media_type }) as Sample;
  it("are those of the same format, without the response itself", () => {
    const samples = [sample("1"), sample("2", "text/xml"), sample("3")];
    expect(bodiesBeside("1", "json", samples)).toEqual(["3"]);
    expect(bodiesBeside("9", "xml", samples)).toEqual(["2"]);
    expect(bodiesBeside("2", undefined, samples)).toEqual([]);
  });
  it("are no more than can be read at a time", () => {
    expect(
      bodiesBeside(
        null,
        "json",
        Array.from({ length: 40 }, (_, number) => sample(`${number}`)),
      ).length,
    ).toBe(19);
  });
});

it.each([
  ["Tree register", "tree-register"],
  ["  Città, über 3! ", "citta-uber-3"],
  ["3 trees", "n-3-trees"],
  ["木", ""],
])("a name is made of a title: %s", (title, name) => {
  expect(nameOf(title)).toBe(name);
});

it.each([
  [null, ""],
  [0, "0 bytes"],
  [999, "999 bytes"],
  [37_300, "37.3 kB"],
  [5_250_000, "5.3 MB"],
])("a size is told in fitting units: %s", (size, words) => {
  expect(bytes(size)).toBe(words);
});
