import svelte from 'eslint-plugin-svelte';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

// Components alone: all other files are linted by .oxlintrc.json.
export default ts.config(
  {
    ignores: [
      '.root-barn/',
      'build/',
      '.svelte-kit/',
      'node_modules/',
      'data/',
      'test-results/',
      '**/*.js',
      '**/*.mjs',
      '**/*.cjs',
      '**/*.ts',
      '!**/*.svelte.ts'
    ]
  },
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
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig } },
    rules: {
      'svelte/no-navigation-without-resolve': 'off',
      'svelte/require-each-key': 'error',
      'svelte/no-useless-mustaches': 'off',
      'svelte/prefer-svelte-reactivity': 'off'
    }
  }
);
