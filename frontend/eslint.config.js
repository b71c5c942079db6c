import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/api/schema.ts"] },
  ...tseslint.configs.strict,
  {
    plugins: { "react-hooks": hooks },
    rules: { ...hooks.configs.recommended.rules, "@typescript-eslint/no-non-null-assertion": "off", "react-hooks/incompatible-library": "off" },
  },
);
