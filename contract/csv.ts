import { stringify } from 'csv-stringify/sync';
import { typeOf, type Value } from './fields.ts';
import { neutral } from './cells.ts';
import { fieldsOf, type KindDescription } from './kind.ts';

/** What a person reads in a cell for a field of a record. */
export function cellText(k: KindDescription, name: string, record: Record<string, Value>): string {
  const field = k.fields[name];
  const value = record[name] ?? null;
  return field ? typeOf(field).toText(value) : value === null ? '' : String(value as string | number);
}

/** Records as CSV (RFC 4180): all fields that can be given, under the API's names. */
export function recordsToCsv(k: KindDescription, records: Record<string, Value>[]): string {
  const names = fieldsOf(k).map(([name]) => name);
  const rows = records.map((record) => names.map((name) => neutral(cellText(k, name, record))));
  return stringify([names, ...rows], { record_delimiter: '\r\n' });
}

/** Any table as CSV (RFC 4180). */
export const cellsToCsv = (heads: string[], rows: string[][]): string =>
  stringify([heads, ...rows.map((row) => row.map(neutral))], { record_delimiter: '\r\n' });
