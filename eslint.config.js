import svelte from 'eslint-plugin-svelte';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

const wallClock = [
  { object: 'Date', property: 'now', message: 'The core knows no wall clock: take the time from the world.' },
  { object: 'Math', property: 'random', message: 'The core draws from the seed: use shared/rng.' },
  { object: 'performance', property: 'now', message: 'The core knows no wall clock.' }
];

export default ts.config(
  { ignores: ['.root-barn/', 'build/', '.svelte-kit/', 'node_modules/', 'data/', 'test-results/'] },
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': 'error',
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }]
    }
  },
  {
    files: ['**/*.svelte', '**/*.svelte.ts', 'src/lib/ui/**/*.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig } },
    rules: {
      'svelte/no-navigation-without-resolve': 'off',
      'svelte/require-each-key': 'error',
      'svelte/no-useless-mustaches': 'off',
      'svelte/prefer-svelte-reactivity': 'off'
    }
  },
  // Tables that are made from published types.
  { files: ['src/lib/core/model/api-fields.ts'], rules: { 'max-lines': 'off' } },
  { files: ['**/*.cjs'], rules: { '@typescript-eslint/no-require-imports': 'off' } },
  {
    files: ['src/lib/core/**/*.ts'],
    rules: {
      'no-restricted-properties': ['error', ...wallClock],
      'no-restricted-globals': ['error', 'process', 'window', 'document', 'setTimeout', 'setInterval', 'fetch', 'crypto', 'performance'],
      'no-restricted-syntax': [
        'error',
        { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: 'The core knows no wall clock.' }
      ]
    }
  }
);
