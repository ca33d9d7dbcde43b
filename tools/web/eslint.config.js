// What the pages' scripts are held against.
const js = require("@eslint/js");
const globals = require("globals");

module.exports = [
  js.configs.recommended,
  {
    languageOptions: { sourceType: "script", globals: { ...globals.browser, Shiny: "readonly" } },
    rules: { complexity: ["error", 15], "max-depth": ["error", 3], eqeqeq: "error" },
  },
];
