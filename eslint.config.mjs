// Rules for the scripts of pages. The packages are those of assets/, where the tools for styles and scripts are installed.
import js from "./assets/node_modules/@eslint/js/src/index.js";
import globals from "./assets/node_modules/globals/index.js";

export default [
  { ignores: ["**/vendor/**", "**/node_modules/**"] },
  {
    ...js.configs.recommended,
    files: ["app/**/*.js", "standins/**/*.js"],
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: globals.browser },
    rules: { ...js.configs.recommended.rules, "no-unused-vars": ["error", { argsIgnorePattern: "^_", ignoreRestSiblings: true }], "no-var": "error", "prefer-const": "error" },
  },
];
