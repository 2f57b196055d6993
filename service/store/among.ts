/** `AND d.id IN (…)` for ids of ours, which need no escaping; nothing where all rows are meant. */
export const among = (column: string, ids: readonly number[] | undefined): string =>
  ids === undefined ? '' : `AND ${column} IN (${ids.length === 0 ? 'NULL' : ids.join(', ')})`;
