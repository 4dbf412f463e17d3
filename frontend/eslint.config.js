import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  js.configs.recommended,
  ts.configs.strict,
  hooks.configs.flat.recommended,
  { ignores: ["src/api/schema.gen.ts"] },
);
