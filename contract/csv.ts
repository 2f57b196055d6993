import { stringify } from 'csv-stringify/sync';
import { typeOf, type Value } from './fields.ts';
import { neutral } from './cells.ts';
import { fieldsOf, type KindDescription } from './kind.ts';

/** What a person reads in a cell for a field of a record. */
export function cellText(k: KindDescription, name: string, record: Record<string, Value>): string {
  const field = k.fields[name];
  const value = record[name] ?? null;
  return field ? typeOf(field).toText(value) : value === null ? '' : String(value);
}

/** A line end of either sort inside a cell is quoted, whatever ends the rows: RFC 4180, section 2.6. */
const written = (rows: string[][]): string =>
  stringify(
    rows.map((row) => row.map(neutral)),
    { record_delimiter: '\r\n', quoted_match: /[\r\n]/ },
  );

/** Any table as CSV (RFC 4180); what a spreadsheet would run is made harmless. */
export const cellsToCsv = (heads: string[], rows: string[][]): string => written([heads, ...rows]);

/** Records as CSV: all fields that can be given, under the API's names. */
export function recordsToCsv(k: KindDescription, records: Record<string, Value>[]): string {
  const names = fieldsOf(k).map(([name]) => name);
  return cellsToCsv(
    names,
    records.map((record) => names.map((name) => cellText(k, name, record))),
  );
}
