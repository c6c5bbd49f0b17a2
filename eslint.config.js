import js from '@eslint/js'
import reactHooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

/** Which of our own packages each folder may import: the arrows run one way. */
const MAY_IMPORT = {
  'packages/core': [],
  'packages/api': ['@lapsus/core'],
  'packages/probe': ['@lapsus/core/format'],
  'packages/server': ['@lapsus/core', '@lapsus/api'],
  'packages/web': ['@lapsus/core', '@lapsus/api'],
  'packages/cli': ['@lapsus/core', '@lapsus/api'],
  'games/moth-post': ['@lapsus/probe'],
}

const directions = Object.entries(MAY_IMPORT).map(([folder, allowed]) => ({
  files: [`${folder}/src/**`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            regex: `^@lapsus/(?!(${allowed.map((name) => name.replace('@lapsus/', '')).join('|') || '$'})(/|$))`,
            message: `${folder} may import ${allowed.join(', ') || 'no other package of ours'}.`,
          },
          { regex: '^(\\.\\./)+(packages|games)/', message: 'Import other packages by their name.' },
          ...(folder === 'packages/core' ? [{ regex: '^node:', message: 'core runs in browsers too.' }] : []),
        ],
      },
    ],
  },
}))

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.lapsus/**', 'coverage/**', 'packages/*/src/lists/**'] },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      // Leaving a field out by naming it is the plainest way to do so.
      '@typescript-eslint/no-unused-vars': ['error', { ignoreRestSiblings: true }],
      '@typescript-eslint/no-non-null-assertion': 'off',
      eqeqeq: 'error',
    },
  },
  {
    files: ['**/*.mjs', '**/*.cjs', 'eslint.config.js'],
    languageOptions: {
      globals: Object.fromEntries(
        [
          'process',
          'localStorage',
          'document',
          'Buffer',
          'console',
          'URL',
          'fetch',
          'setTimeout',
          'clearTimeout',
          'performance',
          'require',
          'module',
        ].map((name) => [name, 'readonly']),
      ),
    },
    rules: { '@typescript-eslint/no-require-imports': 'off' },
  },
  {
    files: ['packages/web/src/**'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  // Chai's assertions are expressions.
  { files: ['**/test/**'], rules: { '@typescript-eslint/no-unused-expressions': 'off' } },
  ...directions,
)
