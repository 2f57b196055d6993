/** Records of kinds with few of them: read once, and held for as long as one statement says that they are the same. */
import type { Stored } from '@zpine/contract/kinds';
import { fewKinds, type FewKind, type KnownFew } from './fewKinds.ts';
import type { Tx } from './tx.ts';

/** A kind with more records is read as it is needed. */
const MOST = 5000;
/** A unit of work that goes on for longer looks again. */
const FRESH_MS = 1000;

/**
 * Every edit raises a version, what is added changes count and sum of ids, and what goes is noted among what was removed:
 * a stamp never comes back. Looked at so far as a kind may be held, so that the statement takes no longer however many
 * there are.
 */
const STAMP = [
  ...fewKinds.map(
    (kind) => `SELECT '${kind}' AS kind, COUNT(*) AS n, CONCAT_WS(' ', SUM(id), SUM(version), MAX(updated_at)) AS stamp
FROM (SELECT id, version, updated_at FROM \`${kind}\` ORDER BY id LIMIT ${MOST + 1}) AS \`${kind}\``,
  ),
  `SELECT 'removed', COUNT(*), CONCAT_WS(' ', SUM(record_id), MAX(at))
FROM (SELECT record_id, at FROM removed WHERE kind IN (${fewKinds.map((kind) => `'${kind}'`).join(', ')}) LIMIT ${MOST + 1}) AS removed`,
].join('\nUNION ALL ');

/**
 * All records of a kind, by id; undefined where there are too many to hold, or where this unit of work has changed such
 * kinds: what it has not committed is nobody else's. Nobody changes what is held.
 */
export async function allHeld<K extends FewKind>(
  tx: Tx,
  kind: K,
  readAll: (kind: K) => Promise<Stored<K>[]>,
): Promise<ReadonlyMap<number, Stored<K>> | undefined> {
  if (tx.few === 'changed') return undefined;
  const { held } = await (tx.few && Date.now() - tx.few.at < FRESH_MS ? tx.few : look(tx));
  if (held.many.has(kind)) return undefined;
  let records = held.kinds.get(kind);
  if (!records) {
    records = readAll(kind).then((all) => new Map(all.map((record) => [record.id, frozen(record)])));
    held.kinds.set(kind, records);
    // What could not be read is read again.
    records.catch(() => held.kinds.delete(kind));
  }
  return (await records) as ReadonlyMap<number, Stored<K>>;
}

async function look(tx: Tx): Promise<KnownFew> {
  const at = Date.now();
  const rows = await tx.select<{ kind: string; n: number; stamp: string }>(STAMP);
  const stamp = rows.map(({ kind, n, stamp: of }) => `${kind} ${n} ${of}`).join('; ');
  const held = tx.heldFew(stamp, () => {
    const many = rows.filter(({ n }) => Number(n) > MOST).map(({ kind }) => kind);
    // Where so much was removed that not all of it is looked at, nothing is held.
    return new Set(many.includes('removed') ? fewKinds : many);
  });
  const known = { held, at };
  if (tx.few !== 'changed') tx.few = known;
  return known;
}

function frozen<T>(value: T): T {
  if (typeof value === 'object' && value !== null && !Object.isFrozen(value)) {
    Object.freeze(value);
    for (const held of Object.values(value)) frozen(held);
  }
  return value;
}
