import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/api/schema.gen.ts"] },
  ...tseslint.configs.strictTypeChecked,
  a11y.flatConfigs.recommended,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { "react-hooks": hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      "react-hooks/incompatible-library": "off",
      "@typescript-eslint/no-confusing-void-expression": "off", // () => setOpen(true) says what it does
      "@typescript-eslint/no-invalid-void-type": "off", // a write without an input
      // The description of the API cannot say that a reference may be null: what asks for it is not unnecessary.
      "@typescript-eslint/no-unnecessary-condition": "off",
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      "jsx-a11y/no-noninteractive-tabindex": ["error", { tags: [], roles: ["region"] }], // what scrolls, by keys too
      "jsx-a11y/label-has-associated-control": ["error", { controlComponents: ["RoleSelect"], depth: 3 }],
      "jsx-a11y/no-autofocus": "off", // dialogs and new rules begin in their first blank
    },
  },
);
