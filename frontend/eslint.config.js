import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  ...tseslint.configs.strict,
  a11y.flatConfigs.strict,
  {
    plugins: { "react-hooks": hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      // A window, or a field that a press has opened, takes the focus: this only says which of its parts.
      "jsx-a11y/no-autofocus": "off",
    },
  },
);
