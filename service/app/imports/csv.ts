/** Reads CSV (RFC 4180, and what spreadsheets make of it) in a stream: memory holds one batch, however long the text is. */
import { Readable } from 'node:stream';
import { CsvError, parse } from 'csv-parse';
import { nearest } from '@zpine/core/naming/names';
import { untick } from '@zpine/contract/cells';
import { typeOf, type Field } from '@zpine/contract/fields';
import type { ImportKind } from '@zpine/contract/importRoutes';
import { fieldsOfImport, importFields } from './fields.ts';
import { head, whole, type Head, type ImportRow, type RowFault } from './rows.ts';

export interface CsvInput {
  chunks: Iterable<string> | AsyncIterable<string>;
  kind: ImportKind;
  file: string | null;
  /** Fields of columns whose heads are called otherwise; null leaves a column out. */
  columns: Record<string, string | null>;
  /** The same, as it was said earlier: heads in small letters. */
  remembered: ReadonlyMap<string, string | null>;
}

export interface CsvBatch {
  rows: ImportRow[];
  faults: RowFault[];
  /** With the first batch. */
  heads?: Head[];
}

const BATCH = 500;
/** No kind has a tenth of that; what has more is no table of records. */
const MOST_COLUMNS = 500;
/** A row longer than that is no row: most likely a quote is never closed. */
const MOST_ROW = 1 << 20;

export async function* csvBatches(input: CsvInput): AsyncGenerator<CsvBatch> {
  const { kind, file } = input;
  const { first, all } = await begun(input.chunks);
  const parser = parse({
    delimiter: delimiterOf(first),
    relax_column_count: true,
    skip_empty_lines: false,
    relax_quotes: false,
    max_record_size: MOST_ROW,
  });
  const source = Readable.from(all);
  source.pipe(parser);
  source.once('error', (error) => parser.destroy(error));
  let heads: Head[] | undefined;
  let batch: CsvBatch = { rows: [], faults: [] };
  let row = 0;
  try {
    for await (const record of parser) {
      const cells = record as string[];
      row += 1;
      if (cells.length <= 1 && (cells[0] ?? '').trim() === '') continue;
      if (cells.length > MOST_COLUMNS) {
        batch.faults.push({
          ...whole('import-columns', { max: MOST_COLUMNS, columns: cells.length }, file),
          row,
          kind,
        });
        break;
      }
      if (!heads) {
        const read = headsOf(input, cells);
        heads = read.heads;
        batch.heads = heads;
        batch.faults.push(...read.faults.map((fault) => ({ ...fault, row })));
        continue;
      }
      if (cells.length !== heads.length)
        batch.faults.push({ ...whole('import-ragged', { cells: cells.length, heads: heads.length }, file), row, kind });
      else batch.rows.push(rowFrom(input, row, cells, heads));
      if (batch.rows.length + batch.faults.length < BATCH) continue;
      yield batch;
      batch = { rows: [], faults: [] };
    }
  } catch (error) {
    if (!(error instanceof CsvError)) throw error;
    const why =
      error.code === 'CSV_QUOTE_NOT_CLOSED'
        ? 'a quote is never closed'
        : error.code === 'CSV_MAX_RECORD_SIZE'
          ? `a row is longer than ${MOST_ROW} signs; most likely a quote is never closed, or there are no line ends`
          : error.message;
    const at = typeof error.lines === 'number' ? error.lines : row + 1;
    batch.faults.push({ ...whole('import-format', { format: 'CSV', why }, file), row: at });
  } finally {
    source.destroy();
  }
  yield batch;
}

/** The text up to its first line end, and the whole text again, without a mark at its beginning. */
async function begun(chunks: CsvInput['chunks']): Promise<{ first: string; all: AsyncIterable<string> }> {
  const iterator = (async function* () {
    yield* chunks;
  })();
  let first = '';
  while (!first.includes('\n') && first.length < MOST_ROW) {
    const next = await iterator.next();
    if (next.done) break;
    first += next.value;
  }
  first = first.replace(/^\uFEFF/, '');
  return {
    first,
    all: (async function* () {
      yield first;
      yield* iterator;
    })(),
  };
}

/** As much of the first line is looked at, in signs. */
const LONGEST_HEAD = 64 * 1024;

/** The sign that stands most often in the first line, of those that separate cells. */
function delimiterOf(text: string): string {
  const [line = ''] = text.slice(0, LONGEST_HEAD).trimStart().split(/\r?\n/, 1);
  const plain = line.replace(/"[^"]*"/g, '');
  const counts = [',', ';', '\t', '|'].map((sign) => [sign, plain.split(sign).length - 1] as const);
  return counts.sort((a, b) => b[1] - a[1])[0]?.[0] ?? ',';
}

function headsOf(
  { kind, file, columns, remembered }: CsvInput,
  cells: string[],
): { heads: Head[]; faults: RowFault[] } {
  const known = fieldsOfImport(kind);
  const found = cells.map((cell) => {
    const column = cell.trim();
    const told = Object.hasOwn(columns, column) ? (columns[column] ?? null) : fieldFor(known, column);
    if (told !== undefined) return { column, field: told, remembered: false };
    const before = remembered.get(column.toLowerCase());
    return { column, field: before, remembered: before !== undefined };
  });
  const faults: RowFault[] = [];
  for (const { column, field } of found) {
    const fault = (code: 'import-header' | 'import-header-twice', params: Record<string, string>) =>
      faults.push({ ...whole(code, params, file), kind, column });
    if (field === undefined) {
      const near = nearest(column, [...known.map(([name]) => name), 'key']);
      fault('import-header', { column, ...(near ? { meant: near } : {}) });
    } else if (field !== null && !known.some(([name]) => name === field) && field !== 'key') {
      fault('import-header', { column: field });
    } else if (field !== null && found.filter((h) => h.field === field).length > 1) {
      fault('import-header-twice', { column });
    }
  }
  return { heads: found.map((h) => ({ ...h, field: h.field ?? null })), faults };
}

const plainName = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');

/** By name or title, however it is written; null for what is left out; undefined when nothing fits. */
function fieldFor(known: [string, Field][], column: string): string | null | undefined {
  const plain = plainName(column);
  if (head.map(plainName).includes(plain)) return null;
  if (plain === 'key') return 'key';
  if (plain === 'label' && !known.some(([name]) => name === 'label')) return 'labels';
  return known.find(([name, field]) => plainName(name) === plain || plainName(field.title) === plain)?.[0];
}

function rowFrom({ kind, file }: CsvInput, row: number, cells: string[], heads: Head[]): ImportRow {
  const fields: Record<string, unknown> = {};
  const names: Record<string, string> = {};
  const specs = importFields(kind);
  for (const [i, { column, field }] of heads.entries()) {
    if (!field) continue;
    const spec = specs[field];
    const raw = cells[i] ?? '';
    const cell = untick(spec?.type === 'source' ? raw : raw.trim());
    names[field] = column;
    fields[field] = cell === '' ? null : spec ? typeOf(spec).fromText(cell) : cell;
  }
  return { kind, file, row, fields, heads: names };
}
