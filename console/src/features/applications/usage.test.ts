import { expect, test } from "vitest";
import { hoursOf, totalsOf } from "./usage";

const item = (hour: string, what: string, calls: number, failed = 0) => ({
  application: "desk",
  hour,
  what,
  calls,
  failed,
  busy_ms: 10 * calls,
  service_ms: 8 * calls,
});

test("hours without calls are there, and those before are left out", () => {
  const now = Date.parse("2026-11-30T10:20:00Z");
  const hours = hoursOf(
    [
      item("2026-11-30T10:00:00Z", "get-tree", 3, 1),
      item("2026-11-30T10:00:00Z", "list-trees", 2),
      item("2026-11-30T08:00:00Z", "get-tree", 1),
      item("2026-11-20T08:00:00Z", "get-tree", 9),
    ],
    now,
    4,
  );
  expect(hours.map((one) => [one.calls, one.failed])).toEqual([
    [0, 0],
    [1, 0],
    [0, 0],
    [5, 1],
  ]);
  expect(hours[0]?.at).toBe(Date.parse("2026-11-30T07:00:00Z"));
});

test("totals are by what was called, with the mean of a call", () => {
  const totals = totalsOf([
    item("2026-11-30T10:00:00Z", "get-tree", 3, 1),
    item("2026-11-30T09:00:00Z", "get-tree", 1),
    item("2026-11-30T09:00:00Z", "list-trees", 9),
  ]);
  expect(totals).toEqual([
    { what: "list-trees", calls: 9, failed: 0, mean: 10, service: 8 },
    { what: "get-tree", calls: 4, failed: 1, mean: 10, service: 8 },
  ]);
});
