import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "dist-units", "src/api/generated.ts", "src/api/document.ts"] },
  js.configs.recommended,
  ...ts.configs.recommended,
  hooks.configs.flat["recommended-latest"],
  { rules: { "max-len": ["error", { code: 140 }] } },
);
