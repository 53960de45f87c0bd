import { expect, test } from "vitest";
import { placeOf } from "./places";

test("items, records and runs have a page", () => {
  expect(placeOf({ kind: "feeds", name: "all-trees" })).toBe("feeds/all-trees");
  expect(placeOf({ kind: "record-types", name: "tree" })).toBe("records/tree");
  expect(placeOf({ kind: "records", name: "a/b", record_type: "tree", key: "a/b" })).toBe("records/tree/a%2Fb");
  expect(placeOf({ kind: "runs", name: "17" })).toBe("runs/17");
  expect(placeOf({ kind: "samples", name: "x" })).toBeNull();
});
