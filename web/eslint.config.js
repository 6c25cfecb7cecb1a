import query from "@tanstack/eslint-plugin-query";
import prettier from "eslint-config-prettier";
import a11y from "eslint-plugin-jsx-a11y";
import { importX } from "eslint-plugin-import-x";
import hooks from "eslint-plugin-react-hooks";
import globals from "globals";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "src/api/schema.d.ts", "node_modules"] },
  ...ts.configs.strict,
  a11y.flatConfigs.recommended,
  ...query.configs["flat/recommended"],
  prettier,
  {
    files: ["**/*.ts", "**/*.tsx"],
    plugins: { "react-hooks": hooks, "import-x": importX },
    settings: {
      "import-x/extensions": [".ts", ".tsx"],
      "import-x/resolver": { node: { extensions: [".ts", ".tsx"] } },
    },
    languageOptions: { globals: globals.browser },
    rules: {
      "import-x/no-cycle": "error",
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      // A mutation that sends nothing is called without an argument, and says so as void.
      "@typescript-eslint/no-invalid-void-type": "off",
      // In a dialog the first field has the focus; a page never takes it.
      "jsx-a11y/no-autofocus": ["error", { ignoreNonDOM: true }],
      // What is there is asserted where an index was just checked; noUncheckedIndexedAccess asks for it.
      "@typescript-eslint/no-non-null-assertion": "off",
    },
  },
  {
    files: ["**/*.tsx"],
    // ECharts draws on its own and knows no theme.
    ignores: ["src/charts/Curves.tsx"],
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector: "Property[key.name='fontSize'] > Literal[raw=/^[0-9]/]",
          message: 'Sizes are the theme\'s: fontSize: "size.small".',
        },
      ],
    },
  },
);
