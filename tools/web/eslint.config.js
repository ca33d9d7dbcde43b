// What the scripts of pages and judges are held against.
const js = require("@eslint/js");
const globals = require("globals");

const rules = { complexity: ["error", 15], "max-depth": ["error", 3], eqeqeq: "error" };

module.exports = [
  js.configs.recommended,
  {
    languageOptions: { sourceType: "script", globals: { ...globals.browser, pages: "readonly" } },
    rules,
  },
  // What the others call `pages`.
  {
    files: ["inst/pages/viewer.js"],
    rules: { "no-redeclare": "off", "no-unused-vars": ["error", { varsIgnorePattern: "^pages$" }] },
  },
  {
    files: ["inst/judges/**/*.mjs"],
    languageOptions: { sourceType: "module", globals: globals.node },
    rules,
  },
];
