import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import hooks from 'eslint-plugin-react-hooks';
import globals from 'globals';
import tseslint from 'typescript-eslint';

const tests = ['**/*.test.ts', 'e2e/**', 'server/test/**', 'cli/test/**'];

export default tseslint.config(
  { ignores: ['**/dist/', '**/.tsbuild/', 'node_modules/', '.yundro/', 'server/drizzle/', 'e2e/test-results/'] },
  js.configs.recommended,
  {
    files: ['**/*.ts', '**/*.tsx'],
    extends: [tseslint.configs.recommendedTypeChecked],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/consistent-type-imports': ['error', { disallowTypeAnnotations: false }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      eqeqeq: 'error',
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.test.ts', 'core/src/testing/**'],
    rules: {
      // the core computes: no interface, no I/O, no clock, no chance
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              regex: '^(?!\\.{1,2}/|zod$|jsonc-parser$|mathjs(/number)?$|pure-rand/|ml-levenberg-marquardt$)',
              message: 'The core imports only itself, zod, jsonc-parser, mathjs, pure-rand and ml-levenberg-marquardt.',
            },
          ],
        },
      ],
      'no-restricted-globals': [
        'error',
        'document',
        'window',
        'fetch',
        'process',
        'performance',
        'setTimeout',
        'Date',
        'localStorage',
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Math', property: 'random', message: 'Randomness comes from a seed.' },
      ],
    },
  },
  {
    files: ['web/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  { files: ['**/*.mjs', '**/*.cjs'], languageOptions: { globals: globals.node } },
  { files: tests, rules: { '@typescript-eslint/unbound-method': 'off' } },
  prettier,
);
