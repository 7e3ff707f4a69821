import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import jsxA11y from 'eslint-plugin-jsx-a11y';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

export default tseslint.config(
  {
    ignores: [
      '**/dist/',
      '**/node_modules/',
      'data/',
      '.cache/',
      'core/kernels/',
      'core/src/memory/kernelBytes.ts',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-empty-function': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      'max-lines': ['error', { max: 500, skipBlankLines: true, skipComments: true }],
      eqeqeq: 'error',
    },
  },
  ...tseslint.configs.strictTypeChecked.map((one) => ({ ...one, files: ['**/*.{ts,tsx}'] })),
  {
    files: ['**/*.{ts,tsx}'],
    languageOptions: {
      parserOptions: {
        projectService: {
          allowDefaultProject: ['web/vite.config.ts', 'web/compress.ts', 'web/listAssets.ts'],
        },
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false } }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
    },
  },
  {
    // Tests read what came over the wire as they expect it to be; if it is not, they fail.
    files: ['**/*.test.ts', '**/testServer.ts', 'e2e/*.ts', 'scripts/**/*.ts'],
    rules: Object.fromEntries(
      ['assignment', 'member-access', 'call', 'argument', 'return', 'class-instance-assignment'].map(
        (what) => [`@typescript-eslint/no-unsafe-${what}`, 'off'],
      ),
    ),
  },
  {
    files: ['**/*.mjs'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        Buffer: 'readonly',
        AbortController: 'readonly',
        setTimeout: 'readonly',
        clearTimeout: 'readonly',
        fetch: 'readonly',
      },
    },
  },
  { files: ['**/*.cjs'], languageOptions: { globals: { module: 'writable' } } },
  {
    files: ['web/**/*.{ts,tsx}'],
    ...jsxA11y.flatConfigs.strict,
  },
  {
    files: ['web/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  prettier,
);
