import query from "@tanstack/eslint-plugin-query";
import hooks from "eslint-plugin-react-hooks";
import { defineConfig } from "eslint/config";
import tseslint from "typescript-eslint";

export default defineConfig(
  { ignores: ["dist", "src/api/schema.d.ts", "*.config.*"] },
  tseslint.configs.recommendedTypeChecked,
  hooks.configs.flat["recommended-latest"],
  query.configs["flat/recommended"],
  {
    languageOptions: { parserOptions: { projectService: true } },
    rules: {
      // a handler may begin to navigate or to write without waiting for it; what fails shows where it was asked for
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: false }],
      // taking a member out of an object names it
      "@typescript-eslint/no-unused-vars": ["error", { ignoreRestSiblings: true, varsIgnorePattern: "^_" }],
      // virtual lists keep their rows themselves
      "react-hooks/incompatible-library": "off",
    },
  },
);
