import tseslint from 'typescript-eslint';

/** Rules that need no types; those that do are in .oxlintrc.json, whose checker reads the types in a tenth of the time. */
const noCastToNever = {
  // What a cast to never hides comes out at run time.
  selector: 'TSAsExpression > TSNeverKeyword',
  message: 'Say what it is; never fits anything.',
};

export default tseslint.config(
  { ignores: ['dist/', '.pine/', 'node_modules/', 'console/vite.config.ts'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.ts', '**/*.tsx'],
    rules: {
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      // What is imported for its types alone is not loaded for them.
      '@typescript-eslint/no-import-type-side-effects': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-unused-expressions': ['error', { allowShortCircuit: true }],
      'no-restricted-syntax': ['error', noCastToNever],
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
        noCastToNever,
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
