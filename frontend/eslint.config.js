import { readdirSync } from "node:fs";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

const FEATURES = readdirSync(new URL("src/features", import.meta.url));
// What two screens share belongs to ui/ or charts/; a screen that knows another cannot be changed alone.
const OTHERS = FEATURES.map((feature) => ({
  files: [`src/features/${feature}/**`],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: [
          {
            group: FEATURES.filter((other) => other !== feature).flatMap((other) => [
              `**/${other}/**`,
              `**/features/${other}/**`,
            ]),
            message: "Features do not import each other: what two of them share goes to ui/ or charts/.",
          },
          { group: ["**/app/**"], message: "The application knows its features, not the other way round." },
        ],
      },
    ],
  },
}));
const BELOW = {
  ui: ["features", "app"],
  charts: ["features", "app", "ui"],
  api: ["features", "app", "ui", "charts"],
  lib: ["features", "app", "ui", "charts"],
};
const LAYERS = Object.entries(BELOW).map(([layer, above]) => ({
  files: [`src/${layer}/**`],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: [
          { group: above.map((other) => `**/${other}/**`), message: `${layer}/ lies below ${above.join(", ")}.` },
        ],
      },
    ],
  },
}));

export default tseslint.config(
  { ignores: ["src/api/schema.ts"] },
  ...tseslint.configs.strictTypeChecked,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { "react-hooks": hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      "@typescript-eslint/no-confusing-void-expression": ["error", { ignoreArrowShorthand: true }],
      "react-hooks/incompatible-library": "off",
      "no-restricted-syntax": [
        "error",
        {
          selector:
            'JSXAttribute[name.name="style"] > JSXExpressionContainer > ObjectExpression > Property[value.type="Literal"]',
          message: "What never changes is a class of look/: a style is for what is computed.",
        },
      ],
    },
  },
  ...OTHERS,
  ...LAYERS,
);
