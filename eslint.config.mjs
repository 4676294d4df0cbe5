import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["node_modules/", "nuvett/web/static/vendor/", "demo/", ".venv/", ".state/"] },
  js.configs.recommended,
  {
    files: ["nuvett/web/static/**/*.js"],
    languageOptions: { globals: globals.browser },
    rules: {
      eqeqeq: "error",
      "max-lines": ["error", 400],
      "max-lines-per-function": ["error", { max: 400, skipComments: true }],
      "no-console": "error",
      "no-shadow": "error",
      "no-var": "error",
      "prefer-const": "error",
    },
  },
  { files: ["tools/*.mjs", "tests/scripts/*.mjs"], languageOptions: { globals: globals.node } },
];
