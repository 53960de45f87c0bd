import { expect, test } from "vitest";
import { indented } from "./use";

test("JSON gets line breaks, and keeps its digits and texts", () => {
  expect(indented('{"a":12345678901234567890,"b":[1.50,{"c":"x, {y}: \\"z\\""}],"d":{},"e":[]}')).toBe(
    [
      "{",
      '  "a": 12345678901234567890,',
      '  "b": [',
      "    1.50,",
      "    {",
      '      "c": "x, {y}: \\"z\\""',
      "    }",
      "  ],",
      '  "d": {},',
      '  "e": []',
      "}",
    ].join("\n"),
  );
});
