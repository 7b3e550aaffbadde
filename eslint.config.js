import js from '@eslint/js'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import globals from 'globals'
import ts from 'typescript-eslint'

/** Dependencies point one way: web, server, loader, demo → core. The demo also starts the server. */
const mayNotImport = (files, packages) => ({
  files,
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            regex: `^(@acequia/(${packages.join('|')})|(\\.\\./)+(${packages.join('|')}))/`,
            message: 'Dependencies point one way: web, server, loader, demo → core.',
          },
        ],
      },
    ],
  },
})

export default ts.config(
  { ignores: ['**/dist/', '.build/', '.data/', '**/node_modules/'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser }, parserOptions: { parser: ts.parser } },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_+$', ignoreRestSiblings: true }],
      '@typescript-eslint/consistent-type-imports': ['error', { disallowTypeAnnotations: false }],
      'no-console': 'off',
      'no-control-regex': 'off',
      'vue/multi-word-component-names': 'off',
      eqeqeq: 'error',
    },
  },
  { files: ['**/*.ts', '**/*.vue'], rules: { 'no-undef': 'off' } },
  mayNotImport(['core/**/*.ts'], ['server', 'web', 'loader', 'demo']),
  mayNotImport(['loader/**/*.ts'], ['server', 'web', 'demo']),
  mayNotImport(['server/**/*.ts'], ['web', 'loader', 'demo']),
  mayNotImport(['web/**/*.ts', 'web/**/*.vue'], ['server', 'loader', 'demo']),
  mayNotImport(['demo/**/*.ts'], ['web', 'loader']),
  {
    // Core computes: no interface, network, database or clock.
    files: ['core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': ['error', 'window', 'document', 'fetch', 'process', 'localStorage'],
      'no-restricted-properties': ['error', { object: 'Date', property: 'now', message: 'Core has no clock; pass the time in.' }],
    },
  },
  prettier,
)
