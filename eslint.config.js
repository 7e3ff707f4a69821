import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Which rooms a room may import from; an import only ever points downwards (docs/DECISIONS.md). */
const ARROWS = {
  core: [],
  contract: ['core'],
  demo: ['core'],
  cli: ['core', 'demo'],
  server: ['core', 'contract', 'demo'],
  web: ['core', 'contract'],
  // The benchmark times the page's own picking, and the page itself as the browser tests drive it.
  bench: ['core', 'demo', 'web', 'e2e'],
  e2e: ['core', 'contract', 'demo'],
};
const ROOMS = Object.keys(ARROWS);
const HOST = [
  'node:*',
  'fs',
  'path',
  'react',
  'react-dom',
  'three',
  'three/*',
  'express',
  'pg',
  '@mantine/*',
];

const arrows = Object.entries(ARROWS).map(([room, allowed]) => ({
  files: [`${room}/**/*.{ts,tsx}`],
  ignores: room === 'core' ? ['core/**/*.test.ts'] : [],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            group: [
              ...ROOMS.filter((other) => other !== room && !allowed.includes(other)).flatMap((other) => [
                `@judoka/${other}`,
                `**/${other}/src/**`,
                `**/${other}/*.ts`,
              ]),
              ...(room === 'core' ? HOST : []),
            ],
            message: `${room} may import only from: ${allowed.join(', ') || 'nothing of ours'}.`,
          },
        ],
      },
    ],
  },
}));

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
  {
    files: ['**/*.mjs'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        setTimeout: 'readonly',
        clearTimeout: 'readonly',
        fetch: 'readonly',
      },
    },
  },
  {
    files: ['web/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  ...arrows,
  prettier,
);
