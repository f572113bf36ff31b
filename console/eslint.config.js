import js from "@eslint/js";
import boundaries from "eslint-plugin-boundaries";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** What one kind of folder may import. */
const allowed = (from, ...kinds) => ({
  from: { element: { type: from } },
  allow: kinds.map((type) => ({ to: { element: { type } } })),
});

// Imports run app → features → ui → api → lib; features do not import each other.
export default tseslint.config(
  { ignores: ["node_modules", "src/api/openapi.ts"] },
  js.configs.recommended,
  ...tseslint.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: { allowDefaultProject: ["eslint.config.js"] } } } },
  {
    files: ["src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      "@typescript-eslint/no-confusing-void-expression": ["error", { ignoreArrowShorthand: true }],
      "no-restricted-globals": ["error", { name: "fetch", message: "Only api/http.ts talks to the service." }],
    },
  },
  { files: ["src/api/http.ts"], rules: { "no-restricted-globals": "off" } },
  {
    files: ["src/**/*.{ts,tsx}"],
    plugins: { boundaries },
    settings: {
      "import/resolver": { node: { extensions: [".ts", ".tsx"] } },
      "boundaries/include": ["src/**/*"],
      // Where the page begins.
      "boundaries/ignore": ["src/main.tsx"],
      "boundaries/elements": [
        { type: "app", pattern: "src/app" },
        // Whatever features there come to be, each stands alone.
        { type: "feature", pattern: "src/features/*", capture: ["feature"] },
        { type: "ui", pattern: "src/ui" },
        { type: "api", pattern: "src/api" },
        { type: "lib", pattern: "src/lib" },
      ],
    },
    rules: {
      "boundaries/no-unknown-files": "error",
      "boundaries/dependencies": [
        "error",
        {
          default: "disallow",
          policies: [
            allowed("app", "app", "feature", "ui", "api", "lib"),
            allowed("feature", "ui", "api", "lib"),
            {
              from: { element: { type: "feature" } },
              allow: { to: { element: { type: "feature", captured: { feature: "{{ from.element.captured.feature }}" } } } },
            },
            allowed("ui", "ui", "api", "lib"),
            allowed("api", "api", "lib"),
            allowed("lib", "lib"),
          ],
        },
      ],
    },
  },
  { files: ["eslint.config.js"], ...tseslint.configs.disableTypeChecked },
);
