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
      // a handler may start a mutation without waiting for it
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: { attributes: false } }],
    },
  },
);
