import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import { readdirSync } from "node:fs";
import ts from "typescript-eslint";

// Who may import whom: lib and api < ui < features < app, and no feature another one.
const features = readdirSync(new URL("./src/features", import.meta.url));
const forbid = (files, group, message) => ({
  files,
  rules: { "no-restricted-imports": ["error", { patterns: [{ group, message }] }] },
});

export default ts.config(
  { ignores: ["dist", "src/api/schema.d.ts", "eslint.config.js"] },
  js.configs.recommended,
  ...ts.configs.strict,
  hooks.configs.flat["recommended-latest"],
  forbid(["src/lib/**", "src/api/**"], ["**/ui/*", "**/features/**", "**/app/*"], "lib and api stand below the interface."),
  forbid(["src/ui/**"], ["**/features/**", "**/app/*"], "Parts know no feature."),
  ...features.map((name) =>
    forbid(
      [`src/features/${name}/**`],
      ["**/app/*", ...features.filter((other) => other !== name).map((other) => `**/${other}/*`)],
      "Features do not import each other.",
    ),
  ),
);
