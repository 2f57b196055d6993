/** Addresses that were given back and have rested long enough are free again. */
import type { JobWork } from '../../store/jobs.ts';
import { byIds } from '../../store/records.ts';
import { lockSpaces, rebuild, valueOf } from '../../store/spans.ts';
import { transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';

const ONCE = 200;
/** Looked at so often, at the least; sooner where one is due sooner. */
const MOST_SECONDS = 60;

interface Row {
  prefix_id: number;
  address: Buffer;
}

export const wakeResting: JobWork = async (store) => {
  let woken: number;
  const actor = { name: 'service', via: 'service' } as const;
  do woken = await transact(store, actor, 'addresses have rested', wake);
  while (woken === ONCE);
  const next = await transact(store, actor, 'rests', (tx) =>
    tx.one<{ seconds: number | null }>(
      'SELECT TIMESTAMPDIFF(MICROSECOND, UTC_TIMESTAMP(3), MIN(until_at)) / 1e6 AS seconds FROM resting',
    ),
  );
  const seconds = next?.seconds ?? null;
  return seconds === null ? MOST_SECONDS : Math.min(MOST_SECONDS, Math.max(1, Math.ceil(Number(seconds))));
};

/** Frees the first of those that have rested; gives how many they were. */
export async function wake(tx: Tx): Promise<number> {
  const due = await tx.select<Row>(
    `SELECT prefix_id, address FROM resting WHERE until_at <= UTC_TIMESTAMP(3) ORDER BY prefix_id, address LIMIT ${ONCE}`,
  );
  const ids = [...new Set(due.map((row) => Number(row.prefix_id)))];
  await lockSpaces(tx, ids);
  const prefixes = await byIds(tx, 'prefix', ids);
  for (const { prefix_id: id, address } of due) {
    const gone = await tx.execute('DELETE FROM resting WHERE prefix_id = ? AND address = ?', [id, address]);
    const prefix = prefixes.get(Number(id));
    if (gone === 0 || !prefix) continue;
    const value = valueOf(address, prefix.cidr.includes(':') ? 6 : 4);
    await rebuild(tx, prefix, { first: value, last: value });
  }
  return due.length;
}

/** Those of a prefix that rest, the first of them. */
export async function restingOf(tx: Tx, prefixId: number, most: number): Promise<{ address: Buffer; until: Date }[]> {
  return tx.select(`SELECT address, until_at AS until FROM resting WHERE prefix_id = ? ORDER BY address LIMIT ?`, [
    prefixId,
    most,
  ]);
}
