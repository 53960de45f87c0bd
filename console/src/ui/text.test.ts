import { expect, it } from "vitest";
import { pagingWords } from "./paging";
import { asText } from "./text";

it.each([
  ["oak", "oak"],
  [2.5, "2.5"],
  [false, "false"],
  [null, ""],
  [undefined, ""],
  [{ standing: "season" }, '{"standing":"season"}'],
  [[1, "a"], '[1,"a"]'],
])("%j is shown as %s", (value, text) => {
  expect(asText(value)).toBe(text);
});

it("tells a strategy by its own form, and one that it does not know by nothing", () => {
  const form = {
    type: "page_number",
    title: "Page number",
    words: "Asks for page after page by number.",
    fields: [],
    may_be_none: false,
  };
  expect(pagingWords([form], { type: "page_number" })).toBe("asks for page after page by number");
  expect(pagingWords([], { type: "page_number" })).toBe("");
});
