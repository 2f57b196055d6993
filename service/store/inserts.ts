/** Statements that write many rows, several hundred each. */
import type { Row } from '@zpine/contract/fields';

/** Rows of one statement. */
const SLICE = 500;

type Statement = { sql: string; values: unknown[] };

/**
 * All rows have the columns of the first. `same` has columns that are alike in all of them, as SQL; `tail` stands behind
 * the rows.
 */
export function* insertsOf(
  table: string,
  rows: readonly Row[],
  { same = {}, tail = '' }: { same?: Record<string, string>; tail?: string } = {},
): Generator<Statement> {
  const columns = Object.keys(rows[0] ?? {});
  const names = [...Object.keys(same), ...columns].map((column) => `\`${column}\``).join(', ');
  const marks = `(${[...Object.values(same), ...columns.map(() => '?')].join(', ')})`;
  for (let at = 0; at < rows.length; at += SLICE) {
    const slice = rows.slice(at, at + SLICE);
    yield {
      sql: `INSERT INTO \`${table}\` (${names}) VALUES ${slice.map(() => marks).join(', ')}${tail}`,
      values: slice.flatMap((row) => columns.map((column) => row[column])),
    };
  }
}
