/** Reads a text of many records: CSV, YAML or JSON, told apart by content. */
import { parse as parseCsv, CsvError } from 'csv-parse/sync';
import { parseAllDocuments } from 'yaml';
import { nearest } from '@zpine/core/naming/names';
import { type ErrorCode } from '@zpine/contract/errors';
import { typeOf } from '@zpine/contract/fields';
import { fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { isKind, kindNames, kindOf, type KindName } from '@zpine/contract/kinds';

export type Format = 'csv' | 'yaml' | 'json';

/** One record on its way in. */
export interface ImportRow {
  kind: KindName;
  row: number;
  /** By the API's names; undefined where a cell was empty. */
  fields: Record<string, unknown>;
  /** Heads of the columns that fields came from, where they are called otherwise. */
  heads: Record<string, string>;
}

export interface RowFault {
  row: number;
  kind: KindName | null;
  column: string | null;
  value: string | null;
  code: ErrorCode;
  params: Record<string, string | number>;
}

export interface ReadText {
  format: Format;
  rows: ImportRow[];
  faults: RowFault[];
  heads: { column: string; field: string | null }[];
}

export interface ReadInput {
  text: string;
  kind: string | undefined;
  as: Format | undefined;
  columns: Record<string, string | null>;
}

export const MOST_ROWS = 100_000;

const whole = (code: ErrorCode, params: RowFault['params'] = {}): RowFault => ({
  row: 0,
  kind: null,
  column: null,
  value: null,
  code,
  params,
});

export function readText(input: ReadInput): ReadText {
  const text = input.text.replace(/^\uFEFF/, '');
  const format = input.as ?? guess(text);
  const nothing = (fault: RowFault): ReadText => ({ format, rows: [], faults: [fault], heads: [] });
  if (input.kind !== undefined && !isKind(input.kind)) {
    const near = nearest(input.kind, kindNames);
    return nothing(whole('import-kind-unknown', { kind: input.kind, ...(near ? { meant: near } : {}) }));
  }
  const kind = input.kind as KindName | undefined;
  const read = format === 'csv' ? readCsv(text, kind, input.columns) : readTree(text, format, kind);
  if ('code' in read) return nothing(read);
  if (read.rows.length + read.faults.length === 0) return nothing(whole('import-empty'));
  if (read.rows.length > MOST_ROWS) return nothing(whole('import-many', { max: MOST_ROWS }));
  return { format, heads: [], ...read };
}

/** JSON begins with a bracket; YAML has keys at the beginnings of lines; the rest is a table. */
function guess(text: string): Format {
  const begin = text.trimStart();
  if (begin.startsWith('[') || begin.startsWith('{')) return 'json';
  const line = begin.split('\n').find((one) => one.trim() !== '' && !one.startsWith('#')) ?? '';
  return /^(- |-$|---|[a-z][A-Za-z]*:(\s|$))/.test(line.trimEnd()) ? 'yaml' : 'csv';
}

type Read = { rows: ImportRow[]; faults: RowFault[]; heads?: ReadText['heads'] } | RowFault;

/** More aliases than that in one file are no convenience any more. */
const MOST_ALIASES = 100;

function readTree(text: string, format: Format, kind: KindName | undefined): Read {
  let tree: unknown;
  try {
    if (format === 'json') tree = JSON.parse(text);
    else {
      const [document, second] = parseAllDocuments(text);
      if (second) return whole('import-format', { format: 'YAML', why: 'it has more than one document' });
      const [error] = document && 'errors' in document ? document.errors : [];
      if (error) return whole('import-format', { format: 'YAML', why: error.message.split('\n')[0] ?? '' });
      tree = document && 'toJS' in document ? document.toJS({ maxAliasCount: MOST_ALIASES }) : null;
    }
  } catch (error) {
    return whole('import-format', {
      format: format.toUpperCase(),
      why: error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error),
    });
  }
  if (Array.isArray(tree)) return kind === undefined ? whole('import-kind') : listRows(tree, kind);
  if (typeof tree !== 'object' || tree === null)
    return whole('import-format', { format: format.toUpperCase(), why: 'it holds no records' });
  const rows: ImportRow[] = [];
  const faults: RowFault[] = [];
  for (const [name, list] of Object.entries(tree)) {
    if (!isKind(name) || !Array.isArray(list)) {
      const near = nearest(name, kindNames);
      faults.push(whole('import-kind-unknown', { kind: name, ...(near ? { meant: near } : {}) }));
      continue;
    }
    const read = listRows(list, name);
    rows.push(...read.rows);
    faults.push(...read.faults);
  }
  return { rows, faults };
}

function listRows(list: unknown[], kind: KindName): { rows: ImportRow[]; faults: RowFault[] } {
  const rows: ImportRow[] = [];
  const faults: RowFault[] = [];
  for (const [i, item] of list.entries()) {
    if (typeof item !== 'object' || item === null || Array.isArray(item))
      faults.push({ ...whole('import-row'), row: i + 1, kind });
    else rows.push({ kind, row: i + 1, fields: withoutHead(item as Record<string, unknown>), heads: {} });
  }
  return { rows, faults };
}

/** What every record has beside its fields is of no use in another place; the key helps to find it. */
const head = ['id', 'version', 'createdAt', 'updatedAt'];
const withoutHead = (fields: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(fields).filter(([name]) => !head.includes(name)));

/** The sign that stands most often in the first line, of those that separate cells. */
function delimiterOf(text: string): string {
  const [line = ''] = text.split(/\r?\n/, 1);
  const plain = line.replace(/"[^"]*"/g, '');
  const counts = [',', ';', '\t', '|'].map((sign) => [sign, plain.split(sign).length - 1] as const);
  return counts.sort((a, b) => b[1] - a[1])[0]?.[0] ?? ',';
}

function readCsv(text: string, kind: KindName | undefined, columns: ReadInput['columns']): Read {
  if (kind === undefined) return whole('import-kind');
  let table: string[][];
  try {
    table = parseCsv(text, {
      delimiter: delimiterOf(text),
      relax_column_count: true,
      skip_empty_lines: true,
      relax_quotes: false,
      trim: false,
    });
  } catch (error) {
    if (!(error instanceof CsvError)) throw error;
    const row = typeof error.lines === 'number' ? error.lines : 0;
    const why = error.code === 'CSV_QUOTE_NOT_CLOSED' ? 'a quote is never closed' : error.message;
    return { ...whole('import-format', { format: 'CSV', why }), row };
  }
  const [first = [], ...body] = table;
  const k = kindOf(kind);
  const faults: RowFault[] = [];
  const heads = first.map((cell) => ({ column: cell.trim(), field: fieldFor(k, cell.trim(), columns) }));
  for (const { column, field } of heads) {
    if (field === undefined) {
      const near = nearest(column, [...fieldsOf(k).map(([name]) => name), 'key']);
      faults.push({ ...whole('import-header', { column, ...(near ? { meant: near } : {}) }), row: 1, kind, column });
    } else if (field !== null && heads.filter((h) => h.field === field).length > 1) {
      faults.push({ ...whole('import-header-twice', { column }), row: 1, kind, column });
    }
  }
  const rows: ImportRow[] = [];
  for (const [i, cells] of body.entries()) {
    const row = i + 2;
    if (cells.length !== first.length) {
      faults.push({ ...whole('import-ragged', { cells: cells.length, heads: first.length }), row, kind });
      continue;
    }
    rows.push(rowFrom(k, kind, row, cells, heads));
  }
  return { rows, faults, heads: heads.map(({ column, field }) => ({ column, field: field ?? null })) };
}

const plainName = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');

/** By name or title, however it is written; null for what is left out; undefined when nothing fits. */
function fieldFor(k: KindDescription, column: string, columns: ReadInput['columns']): string | null | undefined {
  if (Object.hasOwn(columns, column)) return columns[column] ?? null;
  const plain = plainName(column);
  if (head.map(plainName).includes(plain)) return null;
  if (plain === 'key') return 'key';
  return fieldsOf(k).find(([name, field]) => plainName(name) === plain || plainName(field.title) === plain)?.[0];
}

function rowFrom(
  k: KindDescription,
  kind: KindName,
  row: number,
  cells: string[],
  heads: { column: string; field: string | null | undefined }[],
): ImportRow {
  const fields: Record<string, unknown> = {};
  const names: Record<string, string> = {};
  for (const [i, { column, field }] of heads.entries()) {
    if (!field) continue;
    const spec = k.fields[field];
    const raw = cells[i] ?? '';
    // The tick that an export puts before what a spreadsheet would run.
    const cell = (spec?.type === 'source' ? raw : raw.trim()).replace(/^'(?='*[=+@\t\r-])/, '');
    names[field] = column;
    fields[field] = cell === '' ? null : spec ? typeOf(spec).fromText(cell) : cell;
  }
  return { kind, row, fields, heads: names };
}
