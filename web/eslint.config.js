import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import accessible from 'eslint-plugin-vuejs-accessibility'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['src/api/schema.d.ts', 'node_modules', 'dist'] },
  ...ts.configs.recommended,
  ...vue.configs['flat/recommended'],
  ...accessible.configs['flat/recommended'],
  prettier,
  {
    files: ['**/*.vue', '**/*.ts'],
    languageOptions: { parserOptions: { parser: ts.parser }, globals: globals.browser },
    rules: {
      'vue/multi-word-component-names': 'off', // one word is enough where it says what the thing is
      'vue/require-default-prop': 'off', // TypeScript says what may be absent
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-unused-expressions': ['error', { allowTernary: true, allowShortCircuit: true }],
      // A label around its field is enough.
      'vuejs-accessibility/label-has-for': ['error', { required: { some: ['nesting', 'id'] } }],
    },
  },
)
