import { expect, it } from "vitest";
import { everyItem, type LargePage } from "./pages";

it("asks for page after page, to the last", async () => {
  const pages = new Map([
    [undefined, { items: [1, 2], next: "a" }],
    ["a", { items: [], next: "b" }],
    ["b", { items: [3], next: null }],
  ]);
  const asked: (string | undefined)[] = [];
  const items = await everyItem(({ after }) => {
    asked.push(after);
    return Promise.resolve(pages.get(after)!);
  });
  expect([items, asked]).toEqual([
    [1, 2, 3],
    [undefined, "a", "b"],
  ]);
});

it("gives none of them where one page is refused", async () => {
  const ask = ({ after }: LargePage) =>
    after ? Promise.reject(new Error("gone")) : Promise.resolve({ items: [1], next: "a" });
  await expect(everyItem(ask)).rejects.toThrow("gone");
});
