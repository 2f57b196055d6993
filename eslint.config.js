import tseslint from 'typescript-eslint';

const sealedTables = [
  'edition',
  'run_row',
  'setting_value',
  'known_secret',
  'captured_text',
  'user',
  'token',
  'session',
];

export default tseslint.config(
  { ignores: ['dist/', '.pine/', 'node_modules/', 'console/vite.config.ts'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.ts', '**/*.tsx'],
    languageOptions: {
      parserOptions: { project: ['./tsconfig.json', './console/tsconfig.json'], tsconfigRootDir: import.meta.dirname },
    },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false } }],
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-unused-expressions': ['error', { allowShortCircuit: true }],
      eqeqeq: 'error',
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
      'no-console': 'error',
      // What is kept under seal, or stands for somebody, is read by those alone who name it.
      'no-restricted-syntax': [
        'error',
        ...['Literal[value=', 'TemplateElement[value.raw='].map((text) => ({
          selector: `${text}/\\*\\s+FROM\\s+\x60?(${sealedTables.join('|')})\\b/i]`,
          message: 'This table has a column under seal: name the columns that are needed.',
        })),
      ],
    },
  },
  // A table of cases may be long.
  {
    files: ['**/*.test.ts'],
    rules: { 'max-lines': ['error', { max: 600, skipBlankLines: true, skipComments: true }] },
  },
);
