/** What of a list is new, another or gone since an earlier one. */
export type Deed = 'added' | 'changed' | 'gone';

/** In the order of the list as it is, with what is gone at its end. Rows are alike where all that stands in them is. */
export function changedRows<T extends object>(
  before: readonly T[],
  after: readonly T[],
  keyOf: (row: T) => string,
): { deed: Deed; row: T }[] {
  const shape = (row: T) => JSON.stringify(Object.entries(row).sort(([a], [b]) => (a < b ? -1 : 1)));
  const earlier = new Map(before.map((row) => [keyOf(row), shape(row)]));
  const now = new Set(after.map(keyOf));
  return [
    ...after.flatMap((row): { deed: Deed; row: T }[] => {
      const was = earlier.get(keyOf(row));
      if (was === undefined) return [{ deed: 'added', row }];
      return was === shape(row) ? [] : [{ deed: 'changed', row }];
    }),
    ...before.filter((row) => !now.has(keyOf(row))).map((row) => ({ deed: 'gone' as const, row })),
  ];
}
