/** Records and values of settings as a text that an import reads back without a difference. */
import { stringify } from 'yaml';
import { nearest } from '@zpine/core/naming/names';
import { cellsToCsv, recordsToCsv } from '@zpine/contract/csv';
import { Refusal } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { importKinds, isImportKind, type ImportKind } from '@zpine/contract/importRoutes';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { find, present } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { whereCondition } from '../records/where.ts';
import { everyValue } from '../settings/values.ts';

/**
 * The answer as it is made: JSON whose text comes piece by piece, so that an estate of any size takes the memory of a few
 * hundred records. One that is broken off in the middle is no JSON, and nobody takes it for whole.
 */
export async function* exportText(tx: Tx, query: QueryOf<'export.run'>): AsyncGenerator<string> {
  const count = { records: 0, secretsLeftOut: 0 };
  yield '{"text":"';
  for await (const piece of textOf(tx, query, count)) yield JSON.stringify(piece).slice(1, -1);
  yield `",${JSON.stringify(count).slice(1)}`;
}

/** Refuses what cannot be exported, before an answer is begun. */
export async function mayExport(tx: Tx, query: QueryOf<'export.run'>): Promise<void> {
  const kinds = kindsOf(query);
  if (query.where === undefined) return;
  const [kind] = kinds;
  if (kinds.length !== 1 || kind === undefined || kind === 'value') throw Refusal.at(['where'], 'import-kind');
  await whereCondition(tx, kind, query.where);
}

type Count = Omit<ReplyOf<'export.run'>, 'text'>;

async function* textOf(tx: Tx, query: QueryOf<'export.run'>, count: Count): AsyncGenerator<string> {
  const kinds = kindsOf(query);
  if (query.as === 'json') yield '{';
  for (const [i, kind] of kinds.entries()) {
    let slices = 0;
    const name = query.as === 'csv' ? '' : begin(query.as, kind, i);
    for await (const rows of slicesOf(tx, kind, query.where, count)) {
      count.records += rows.length;
      if (query.as === 'csv') yield csvText(kind, rows, slices === 0);
      else if (query.as === 'json')
        yield `${slices === 0 ? `${name}[` : ','}${inner(JSON.stringify({ kind: rows }, null, 2))}`;
      else
        yield `${slices === 0 ? `${name}\n` : ''}${stringify({ kind: rows }, { lineWidth: 140 }).replace(/^kind:\n/, '')}`;
      slices += 1;
    }
    if (query.as === 'csv' && slices === 0) yield csvText(kind, [], true);
    else if (query.as === 'json') yield slices === 0 ? `${name}[]` : '\n  ]';
    else if (query.as === 'yaml' && slices === 0) yield `${name} []\n`;
  }
  if (query.as === 'json') yield '\n}\n';
}

const begin = (as: 'yaml' | 'json', kind: ImportKind, i: number): string =>
  as === 'yaml' ? `${kind}:` : `${i === 0 ? '' : ','}\n  ${JSON.stringify(kind)}: `;

/** What stands between the brackets of the one list in it, as it is set off there. */
const inner = (text: string): string => text.slice(text.indexOf('[') + 1, text.lastIndexOf('\n  ]'));

/** As many records are held at a time. */
const SLICE = 500;
/** So many natural keys of a kind are kept for the slices behind. */
const MOST_KEYS = 5000;

async function* slicesOf(
  tx: Tx,
  kind: ImportKind,
  where: string | undefined,
  count: Count,
): AsyncGenerator<Record<string, Value>[]> {
  if (kind === 'value') {
    const all = await everyValue(tx);
    const open = all.filter(({ secret }) => !secret).map(({ row }) => row);
    count.secretsLeftOut = all.length - open.length;
    for (let at = 0; at < open.length; at += SLICE) yield open.slice(at, at + SLICE);
    return;
  }
  const { sql, values } = where === undefined ? { sql: 'TRUE', values: [] } : await whereCondition(tx, kind, where);
  // The ids beforehand, by one statement: what is added, moved or removed meanwhile makes no other record come twice, or
  // not at all. A slice's ids are one text: as rows, those of millions of records would take hundreds of MB.
  const slices = await tx.select<{ ids: string }>(
    `SELECT GROUP_CONCAT(id ORDER BY place) AS ids FROM (
       SELECT id, ROW_NUMBER() OVER (ORDER BY sort_key, id) - 1 AS place FROM \`${kind}\` WHERE ${sql}
     ) AS placed GROUP BY place DIV ${SLICE} ORDER BY place DIV ${SLICE}`,
    values,
  );
  for (const { ids } of slices) {
    const found = await find(tx, kind, { id: ids.split(',').map(Number) }, { order: ['sort_key', 'id'] });
    const rows = await present(tx, kind, found);
    if (rows.length > 0) yield rows.map((record) => fieldsAlone(kind, record));
    for (const known of kindNames) tx.forgetKeys(known, MOST_KEYS);
  }
}

/** In the order of the registry, whatever the order of asking: references point backwards. */
function kindsOf(query: QueryOf<'export.run'>): ImportKind[] {
  const wanted = (query.kinds ?? importKinds.join(','))
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean);
  const unknown = wanted.find((name) => !isImportKind(name));
  if (unknown !== undefined) {
    const meant = nearest(unknown, importKinds);
    throw Refusal.at(['kinds'], 'import-kind-unknown', { kind: unknown, ...(meant ? { meant } : {}) });
  }
  if (query.as === 'csv' && wanted.length !== 1) throw Refusal.at(['kinds'], 'import-kind');
  return importKinds.filter((name) => wanted.includes(name));
}

/** With its heads where it is the first of them. */
function csvText(kind: ImportKind, rows: Record<string, Value>[], first: boolean): string {
  const text = wholeCsv(kind, rows);
  // Names of fields have neither quotes nor line ends in them.
  return first ? text : text.slice(text.indexOf('\n') + 1);
}

function wholeCsv(kind: ImportKind, rows: Record<string, Value>[]): string {
  if (kind !== 'value') return recordsToCsv(kindOf(kind), rows);
  const names = ['setting', 'layer', 'of', 'mode', 'value'];
  const cell = (value: Value | undefined): string => {
    if (Array.isArray(value)) return value.map(String).join(', ');
    if (typeof value === 'object' && value !== null)
      return Object.entries(value)
        .map(([key, held]) => `${key}=${String(held)}`)
        .join(', ');
    return value === null || value === undefined ? '' : String(value);
  };
  return cellsToCsv(
    names,
    rows.map((row) => names.map((name) => cell(row[name]))),
  );
}

/** Without what is worked out, and without what is empty. */
function fieldsAlone(kind: KindName, record: Record<string, Value>): Record<string, Value> {
  const own = fieldsOf(kindOf(kind)).filter(([name, field]) => !field.derived && (record[name] ?? null) !== null);
  return Object.fromEntries(own.map(([name]) => [name, record[name] ?? null]));
}
