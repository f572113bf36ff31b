import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** Forbids imports of these folders, with the reason. */
const never = (folders, reason) => ({
  "no-restricted-imports": ["error", { patterns: folders.map((name) => ({ group: [`**/${name}/**`], message: reason })) }],
});

// Imports run app → features → api, ui, lib; features do not import each other.
export default tseslint.config(
  { ignores: ["node_modules"] },
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
  { files: ["src/{api,ui,lib}/**"], rules: never(["features", "app"], "This folder is below features and app.") },
  { files: ["src/lib/**"], rules: never(["features", "app", "ui"], "lib holds pure helpers.") },
  { files: ["src/features/session/**"], rules: never(["records", "shell", "app"], "Features stand alone.") },
  { files: ["src/features/records/**"], rules: never(["shell", "app"], "Features stand alone.") },
  { files: ["eslint.config.js"], ...tseslint.configs.disableTypeChecked },
);
