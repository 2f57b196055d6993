/** Records and values of settings as a text that an import reads back without a difference. */
import { stringify } from 'yaml';
import { nearest } from '@zpine/core/naming/names';
import { cellsToCsv, recordsToCsv } from '@zpine/contract/csv';
import { Refusal } from '@zpine/contract/errors';
import { type Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { importKinds, isImportKind, type ImportKind } from '@zpine/contract/importRoutes';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { type QueryOf, type ReplyOf } from '@zpine/contract/routes';
import { find, present } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { whereCondition } from '../records/where.ts';
import { everyValue } from '../settings/values.ts';

export async function exportText(tx: Tx, query: QueryOf<'export.run'>): Promise<ReplyOf<'export.run'>> {
  const kinds = kindsOf(query);
  if (query.where !== undefined && kinds.length !== 1) throw Refusal.at(['where'], 'import-kind');
  const tree: Record<string, Record<string, Value>[]> = {};
  let secretsLeftOut = 0;
  for (const kind of kinds) {
    if (kind === 'value') {
      const all = await everyValue(tx);
      tree.value = all.filter(({ secret }) => !secret).map(({ row }) => row);
      secretsLeftOut = all.length - tree.value.length;
    } else tree[kind] = await recordsOf(tx, kind, query.where);
  }
  const records = Object.values(tree).reduce((sum, list) => sum + list.length, 0);
  const [only] = kinds;
  const text =
    query.as === 'csv' && only
      ? csvText(only, tree[only] ?? [])
      : query.as === 'json'
        ? `${JSON.stringify(tree, null, 2)}\n`
        : stringify(tree, { lineWidth: 140 });
  return { text, records, secretsLeftOut };
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

async function recordsOf(tx: Tx, kind: KindName, where: string | undefined): Promise<Record<string, Value>[]> {
  let ids: number[] | undefined;
  if (where !== undefined) {
    const { sql, values } = await whereCondition(tx, kind, where);
    ids = (await tx.select<{ id: number }>(`SELECT id FROM \`${kind}\` WHERE ${sql}`, values)).map((row) =>
      Number(row.id),
    );
  }
  const found = await find(tx, kind, ids === undefined ? {} : { id: ids }, { order: ['sort_key', 'id'] });
  return (await present(tx, kind, found)).map((record) => fieldsAlone(kind, record));
}

function csvText(kind: ImportKind, rows: Record<string, Value>[]): string {
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
