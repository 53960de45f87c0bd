import { describe, expect, test } from "vitest";
import { aligned, longestFraction, profileOf } from "./columns";

describe("numbers", () => {
  test("stand with their points below each other", () => {
    const values = ["1.25", "10", "3.5", null];
    const longest = longestFraction(values);
    expect(longest).toBe(2);
    const shown = values.slice(0, 3).map((value) => aligned(value, longest));
    expect(shown.map((text) => text.length - text.replaceAll("\u00a0", "").length)).toEqual([0, 3, 1]);
    const points = shown.map((text) => text.length - (text.includes(".") ? text.indexOf(".") : text.trimEnd().length));
    expect(new Set(points).size).toBe(1);
  });

  test("without fractions need no blanks", () => expect(aligned(12, longestFraction([12, 7]))).toBe("12"));
});

describe("a profile", () => {
  const rows = Array.from({ length: 40 }, (_, at) => ({
    girth: at % 10 === 9 ? null : `${at}`,
    species: at % 3 ? "oak" : "lime",
  }));

  test("counts what is missing, and ranges of numbers", () => {
    const found = profileOf(rows, { name: "girth", type: "decimal" });
    expect([found.rows, found.missing, found.distinct, found.least, found.most]).toEqual([40, 4, 36, "0", "38"]);
    expect(found.bars.reduce((sum, bar) => sum + bar.count, 0)).toBe(36);
    expect(found.bars[0]).toMatchObject({ from: "0", to: "4" });
  });

  test("tells the commonest of few values", () => {
    const found = profileOf(rows, { name: "species", type: "text" });
    expect(found.bars).toEqual([
      { label: "oak", count: 26, equal: "oak" },
      { label: "lime", count: 14, equal: "lime" },
    ]);
  });

  test("of nothing has no range", () => {
    expect(profileOf([], { name: "girth", type: "decimal" })).toEqual({ rows: 0, missing: 0, distinct: 0, bars: [] });
  });
});
