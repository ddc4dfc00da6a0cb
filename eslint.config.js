import js from '@eslint/js';
import vue from 'eslint-plugin-vue';
import globals from 'globals';
import ts from 'typescript-eslint';

/** Which packages each package may import: imports run one way. */
const mayImport = {
  core: [],
  protocol: ['core'],
  store: ['core', 'protocol'],
  client: ['core', 'protocol'],
  service: ['core', 'protocol', 'store'],
  console: ['core', 'protocol', 'client'],
  demo: ['core', 'protocol', 'store', 'client', 'service'],
  cli: ['core', 'protocol', 'client', 'service', 'demo'],
};

/** The subpaths by which a package may be entered, beside its index. */
const subpaths = {
  core: ['accounts', 'boards', 'manifest-edits', 'manifest-file', 'schema-check', 'trials', 'tuning'],
  protocol: ['names', 'problems', 'version'],
  store: ['ahead', 'give-way'],
  service: ['ahead'],
  client: ['host', 'operator', 'player', 'file-storage'],
};

const nodeOnly = ['node:*', 'better-sqlite3', 'kysely', 'express', 'pino'];

/** What is forbidden to a package: every package that it may not import, and files inside those that it may. */
function forbidden(name) {
  const allowed = mayImport[name].flatMap((one) => [
    `!@vekkon/${one}`,
    ...(subpaths[one] ?? []).map((subpath) => `!@vekkon/${one}/${subpath}`),
  ]);
  const groups = [
    {
      group: ['@vekkon/*', '@vekkon/*/**', ...allowed],
      message: `${name} may import ${mayImport[name].join(', ') || 'no other package'}, by their index or exported subpaths.`,
    },
    {
      group: ['../../../*/src/**', '../../../../*/src/**', '**/dist/**', '!ajv/dist/2020.js'],
      message: 'Enter a package by its name.',
    },
  ];
  if (name === 'core') groups.push({ group: nodeOnly, message: 'core is pure: no I/O, no HTTP, no SQL.' });
  return groups;
}

/** core has no clock and no randomness of its own. */
const pure = [
  { object: 'Date', property: 'now', message: 'Time comes in as an argument.' },
  { object: 'Math', property: 'random', message: 'Randomness comes in as an argument.' },
];

export default ts.config(
  { ignores: ['**/dist/', '**/node_modules/', '.build/'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: { globals: { ...globals.node } },
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { disallowTypeAnnotations: false }],
      '@typescript-eslint/no-invalid-void-type': 'off',
      eqeqeq: 'error',
      'max-lines': ['error', { max: 450, skipBlankLines: true, skipComments: true }],
    },
  },
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: ts.parser }, globals: { ...globals.browser } },
    rules: {
      'vue/multi-word-component-names': 'off',
      // The formatter's business.
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
    },
  },
  {
    files: ['packages/console/src/**', 'packages/demo/play/**', 'packages/service/pages/**'],
    languageOptions: { globals: { ...globals.browser } },
  },
  { files: ['packages/core/src/**'], rules: { 'no-restricted-properties': ['error', ...pure] } },
  ...Object.keys(mayImport).map((name) => ({
    files: [`packages/${name}/src/**`],
    rules: { 'no-restricted-imports': ['error', { patterns: forbidden(name) }] },
  })),
  {
    // Each of the store's threads loads what it imports anew: the shapes of requests are nothing to them.
    files: ['packages/store/src/**'],
    rules: {
      '@typescript-eslint/no-restricted-imports': [
        'error',
        {
          paths: [
            {
              name: '@vekkon/protocol',
              allowTypeImports: true,
              message: 'Only types, in the store: Refusal is in @vekkon/protocol/problems.',
            },
          ],
        },
      ],
    },
  },
  { files: ['**/*.cjs'], rules: { '@typescript-eslint/no-require-imports': 'off' } },
  {
    files: ['**/*.test.ts', 'tests/**'],
    languageOptions: { globals: { ...globals.mocha } },
    rules: { '@typescript-eslint/no-unused-expressions': 'off', '@typescript-eslint/no-non-null-assertion': 'off' },
  },
);
