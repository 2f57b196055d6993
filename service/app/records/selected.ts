import { MOST_AT_ONCE } from '@zpine/contract/bulkRoutes';
import { Refusal } from '@zpine/contract/errors';
import type { KindName } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { findRefs, unknownRef } from './refs.ts';
import { whereCondition } from './where.ts';

interface Chosen {
  where?: string | undefined;
  refs?: string[] | undefined;
}

/** Which records are meant, in the order of their ids. */
export async function selectedIds(tx: Tx, kind: KindName, { where, refs }: Chosen): Promise<number[]> {
  if (refs !== undefined) {
    const found = await findRefs(tx, kind, refs);
    const missing = refs.findIndex((ref) => !found.has(ref));
    if (missing >= 0)
      throw Refusal.at(['refs', missing], 'ref-unknown', await unknownRef(tx, kind, refs[missing] ?? ''));
    return [...new Set([...found.values()].map((record) => record.id))].sort((a, b) => a - b);
  }
  if (where === undefined) throw Refusal.at(['where'], 'value-missing');
  const { sql, values } = await whereCondition(tx, kind, where);
  const rows = await tx.select<{ id: number }>(
    `SELECT id FROM \`${kind}\` WHERE ${sql} ORDER BY id LIMIT ${MOST_AT_ONCE + 1}`,
    values,
  );
  if (rows.length > MOST_AT_ONCE) throw Refusal.at(['where'], 'bulk-many', { max: MOST_AT_ONCE });
  return rows.map((row) => Number(row.id));
}
