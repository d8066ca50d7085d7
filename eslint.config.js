import js from '@eslint/js';
import globals from 'globals';
import ts from 'typescript-eslint';
import vue from 'eslint-plugin-vue';
import { fileURLToPath } from 'node:url';
import { layers } from './tools/lint/layers.mjs';

/** The arrows between our packages: web, server, cli → api → core; core → nothing of ours. */
const noPackages = (patterns, message) => ({
  'no-restricted-imports': ['error', { patterns: [{ group: patterns, message }] }],
});

export default ts.config(
  { ignores: ['**/node_modules/**', '**/dist/**', '.vondle/**', '*/migrations/**'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: ts.parser }, globals: globals.browser },
  },
  { files: ['web/src/**/*.ts'], languageOptions: { globals: globals.browser } },
  {
    files: ['tools/**', 'server/**', 'standin/**', 'cli/**', 'bench/**', 'e2e/**', '*.js'],
    languageOptions: { globals: globals.node },
  },
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'no-undef': 'off',
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/multi-word-component-names': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/attributes-order': 'off',
      'vue/multiline-html-element-content-newline': 'off',
    },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['core/**/*.test.ts', 'core/testing/**'],
    plugins: { layers: layers(fileURLToPath(new URL('core', import.meta.url))) },
    rules: {
      'layers/order': 'error',
      'layers/circles': 'error',
      ...noPackages(
        ['@vondle/*', '**/server/**', '**/web/**', '**/cli/**', 'node:*', 'fs', 'path', 'vue', 'hono'],
        'core imports nothing of ours and no platform',
      ),
      'no-restricted-globals': ['error', 'window', 'document', 'process', 'Buffer', 'fetch', 'localStorage'],
    },
  },
  {
    // only core/brokers knows a kind of broker; everybody else asks the kind itself
    files: ['core/**/*.ts', 'server/**/*.ts', 'web/src/**', 'cli/**/*.ts'],
    ignores: ['**/*.test.ts', 'core/brokers/**', 'core/testing/**'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: "MemberExpression[property.name='variant']",
          message: 'ask core/brokers/kinds.ts for the kind, and the kind for what it does',
        },
        {
          selector: "BinaryExpression[operator=/^[!=]==$/] > Literal[value='pubsub']",
          message: 'ask core/brokers/kinds.ts for the kind, and the kind for what it does',
        },
      ],
    },
  },
  {
    files: ['web/src/**'],
    ignores: ['web/src/**/*.test.ts'],
    rules: noPackages(
      ['**/server/**', '**/cli/**', 'node:*'],
      'web may import core, and what it asks of the server from api',
    ),
  },
  {
    files: ['api/**'],
    ignores: ['api/**/*.test.ts'],
    rules: noPackages(
      ['**/server/**', '**/web/**', '**/cli/**', 'node:*', 'vue', 'hono'],
      'api imports core only, and no platform',
    ),
  },
  {
    files: ['server/**'],
    ignores: ['server/**/*.test.ts'],
    rules: noPackages(['**/web/**', '**/cli/**', '**/standin/**'], 'server may import core and api only'),
  },
  {
    files: ['standin/**'],
    ignores: ['standin/**/*.test.ts'],
    rules: noPackages(
      ['**/web/**', '**/cli/**', '**/server/**'],
      'standin may import core, and the kinds of values of api',
    ),
  },
  { files: ['cli/**'], rules: noPackages(['**/web/**', '**/server/**'], 'cli may import core and api only') },
);
