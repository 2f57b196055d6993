import tseslint from 'typescript-eslint';

export default tseslint.config(
  { ignores: ['dist/', '.pine/', 'node_modules/', 'console/vite.config.ts'] },
  ...tseslint.configs.recommendedTypeChecked,
  { files: ['**/*.js', '**/*.mjs'], ...tseslint.configs.disableTypeChecked },
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
      // What is imported for its types alone is not loaded for them.
      '@typescript-eslint/no-import-type-side-effects': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-unused-expressions': ['error', { allowShortCircuit: true }],
      // A cast to never fits anything: what it hides comes out at run time.
      'no-restricted-syntax': [
        'error',
        { selector: 'TSAsExpression > TSNeverKeyword', message: 'Say what it is; never fits anything.' },
      ],
      // Values of fields and evidence are shown as text: what may stand in them has a form of its own, and no object is one.
      '@typescript-eslint/no-base-to-string': 'off',
      '@typescript-eslint/restrict-template-expressions': [
        'error',
        { allowNumber: true, allowBoolean: true, allowArray: true },
      ],
      eqeqeq: 'error',
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
      'no-console': 'error',
    },
  },
  {
    files: ['service/**/*.ts'],
    rules: {
      // A statement says what it reads: what is kept under seal, or is added later, is not carried along by accident.
      'no-restricted-syntax': [
        'error',
        { selector: 'TSAsExpression > TSNeverKeyword', message: 'Say what it is; never fits anything.' },
        ...['Literal[value=', 'TemplateElement[value.raw='].map((text) => ({
          selector: `${text}/SELECT\\s+(\\w+\\.)?\\*/i]`,
          message: 'Name the columns that are needed: those of a table, or of a kind (columnsFor).',
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
