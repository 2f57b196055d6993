/** Records as a text that an import reads back without a difference. */
import { stringify } from 'yaml';
import { nearest } from '@zpine/core/naming/names';
import { recordsToCsv } from '@zpine/contract/csv';
import { Refusal } from '@zpine/contract/errors';
import { type Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { isKind, kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import { type QueryOf, type ReplyOf } from '@zpine/contract/routes';
import { find, present } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';

export async function exportText(tx: Tx, query: QueryOf<'export.run'>): Promise<ReplyOf<'export.run'>> {
  const wanted = (query.kinds ?? kindNames.join(','))
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean);
  const unknown = wanted.find((name) => !isKind(name));
  if (unknown !== undefined) {
    const meant = nearest(unknown, kindNames);
    throw Refusal.at(['kinds'], 'import-kind-unknown', { kind: unknown, ...(meant ? { meant } : {}) });
  }
  if (query.as === 'csv' && wanted.length !== 1) throw Refusal.at(['kinds'], 'import-kind');
  // In the order of the registry, whatever the order of asking: references point backwards.
  const kinds = kindNames.filter((name) => wanted.includes(name));
  const tree: Record<string, Record<string, Value>[]> = {};
  let records = 0;
  for (const kind of kinds) {
    const found = await find(tx, kind, {}, { order: ['sort_key', 'id'] });
    records += found.length;
    tree[kind] = (await present(tx, kind, found)).map((record) => fieldsAlone(kind, record));
  }
  const [only] = kinds;
  if (query.as === 'csv' && only) return { text: recordsToCsv(kindOf(only), tree[only] ?? []), records };
  const text = query.as === 'json' ? `${JSON.stringify(tree, null, 2)}\n` : stringify(tree, { lineWidth: 140 });
  return { text, records };
}

/** Without what is worked out, and without what is empty. */
function fieldsAlone(kind: KindName, record: Record<string, Value>): Record<string, Value> {
  const own = fieldsOf(kindOf(kind)).filter(([name, field]) => !field.derived && (record[name] ?? null) !== null);
  return Object.fromEntries(own.map(([name]) => [name, record[name] ?? null]));
}
