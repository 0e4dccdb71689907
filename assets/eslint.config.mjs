// What the scripts of the pages are held to. `npm run lint` in this folder.
import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["**/vendor/**"] },
  js.configs.recommended,
  {
    files: ["**/*.js", "**/*.mjs"],
    languageOptions: { globals: { ...globals.browser, Alpine: "readonly", htmx: "readonly" } },
    rules: {
      eqeqeq: "error",
      "no-shadow": "error",
      "no-unused-vars": ["error", { args: "after-used" }],
      "no-var": "error",
      "prefer-const": "error",
    },
  },
  { files: ["**/tests/**", "**/*.test.mjs"], languageOptions: { globals: globals.node } },
];
