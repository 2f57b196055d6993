/** Reads a text of many records that fits into memory: CSV, YAML or JSON, told apart by content. */
import { nearest } from '@zpine/core/naming/names';
import { depthOfJson, MOST_DEPTH } from '@zpine/core/text/depth';
import { importKinds, isImportKind, type ImportKind } from '@zpine/contract/importRoutes';
import { readYaml } from '../../store/yaml.ts';
import { csvBatches } from './csv.ts';
import { head, whole, type Format, type Head, type ImportRow, type RowFault } from './rows.ts';

export interface ReadText {
  format: Format;
  rows: ImportRow[];
  faults: RowFault[];
  heads: Head[];
}

export interface ReadInput {
  text: string;
  file: string | null;
  kind: string | undefined;
  as: Format | undefined;
  columns: Record<string, string | null>;
  remembered: (kind: ImportKind) => Promise<ReadonlyMap<string, string | null>>;
}

const MOST_ROWS = 100_000;

export async function readText(input: ReadInput): Promise<ReadText> {
  const { file } = input;
  const text = input.text.replace(/^\uFEFF/, '');
  const format = input.as ?? guessFormat(text);
  const nothing = (fault: RowFault): ReadText => ({ format, rows: [], faults: [{ ...fault, file }], heads: [] });
  if (input.kind !== undefined && !isImportKind(input.kind)) return nothing(unknownKind(input.kind));
  const { kind } = input;
  const read = format === 'csv' ? await readCsv(input, text, kind) : readTree(text, format, kind, file);
  if ('code' in read) return nothing(read);
  if (read.rows.length + read.faults.length === 0) return nothing(whole('import-empty'));
  if (read.rows.length > MOST_ROWS) return nothing(whole('import-many', { max: MOST_ROWS }));
  return { format, heads: [], ...read };
}

const unknownKind = (name: string): RowFault => {
  const near = nearest(name, importKinds);
  return whole('import-kind-unknown', { kind: name, ...(near ? { meant: near } : {}) });
};

/** JSON begins with a bracket; YAML has keys at the beginnings of lines; the rest is a table. */
export function guessFormat(text: string): Format {
  const begin = text.trimStart();
  if (begin.startsWith('[') || begin.startsWith('{')) return 'json';
  const line = begin.split('\n').find((one) => one.trim() !== '' && !one.startsWith('#')) ?? '';
  return /^(- |-$|---|[a-z][A-Za-z]*:(\s|$))/.test(line.trimEnd()) ? 'yaml' : 'csv';
}

type Read = { rows: ImportRow[]; faults: RowFault[]; heads?: Head[] } | RowFault;

async function readCsv(input: ReadInput, text: string, kind: ImportKind | undefined): Promise<Read> {
  if (kind === undefined) return whole('import-kind');
  const out = { rows: [] as ImportRow[], faults: [] as RowFault[], heads: [] as Head[] };
  const remembered = await input.remembered(kind);
  for await (const { rows, faults, heads } of csvBatches({ ...input, chunks: [text], kind, remembered })) {
    out.rows.push(...rows);
    out.faults.push(...faults);
    if (heads) out.heads = heads;
    if (out.rows.length > MOST_ROWS) break;
  }
  return out;
}

/** More aliases than that in one file are no convenience any more. */
const MOST_ALIASES = 100;

/** Kinds that nobody knows, of one file. */
const MOST_UNKNOWN = 100;

function readTree(text: string, format: Format, kind: ImportKind | undefined, file: string | null): Read {
  let tree: unknown;
  try {
    if (format === 'json') {
      if (depthOfJson(text, MOST_DEPTH) > MOST_DEPTH)
        return whole('import-format', { format: 'JSON', why: `it is more than ${MOST_DEPTH} deep` });
      tree = JSON.parse(text);
    } else {
      const { documents, faults, lines } = readYaml(text, { aliases: MOST_ALIASES });
      const [document, second] = documents;
      if (second) return whole('import-format', { format: 'YAML', why: 'it has more than one document' });
      const [fault] = faults;
      if (fault) {
        const { line, col } = lines.linePos(fault.offset);
        return whole('import-format', { format: 'YAML', why: `line ${line}, column ${col}: ${fault.message}` });
      }
      tree = document?.toJS({ maxAliasCount: MOST_ALIASES }) ?? null;
    }
  } catch (error) {
    return whole('import-format', {
      format: format.toUpperCase(),
      why: error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error),
    });
  }
  if (Array.isArray(tree)) return kind === undefined ? whole('import-kind') : listRows(tree, kind, file);
  if (typeof tree !== 'object' || tree === null)
    return whole('import-format', { format: format.toUpperCase(), why: 'it holds no records' });
  const rows: ImportRow[] = [];
  const faults: RowFault[] = [];
  for (const [name, list] of Object.entries(tree)) {
    if (!isImportKind(name) || !Array.isArray(list)) {
      faults.push({ ...unknownKind(name), file });
      // Whoever gets that many kinds wrong means another file.
      if (faults.length >= MOST_UNKNOWN) break;
      continue;
    }
    const read = listRows(list, name, file);
    rows.push(...read.rows);
    faults.push(...read.faults);
  }
  return { rows, faults };
}

function listRows(list: unknown[], kind: ImportKind, file: string | null): { rows: ImportRow[]; faults: RowFault[] } {
  const rows: ImportRow[] = [];
  const faults: RowFault[] = [];
  for (const [i, item] of list.entries()) {
    if (typeof item !== 'object' || item === null || Array.isArray(item))
      faults.push({ ...whole('import-row', {}, file), row: i + 1, kind });
    else rows.push({ kind, file, row: i + 1, fields: withoutHead(item as Record<string, unknown>), heads: {} });
  }
  return { rows, faults };
}

const withoutHead = (fields: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(fields).filter(([name]) => !head.includes(name)));
