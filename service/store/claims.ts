/**
 * Work that one instance takes for a while: jobs, runs, arrivals to be proved, looks at watched devices, letters. What is
 * claimed is nobody else's until the claim ends; whoever works renews it, and stops when it was given to another. The
 * fence grows with every claim: nothing is kept of work under an older one.
 */
import type { Actor, Store } from './store.ts';
import { transact } from './transact.ts';
import type { Tx } from './tx.ts';

/** For how long a claim holds without a sign of life, in seconds, and the column that tells the rows apart. */
const tables = {
  job: { id: 'id', seconds: 30 },
  run: { id: 'id', seconds: 60 },
  arrival: { id: 'id', seconds: 30 },
  watch_due: { id: 'device_id', seconds: 60 },
  letter: { id: 'id', seconds: 60 },
  delivery: { id: 'id', seconds: 60 },
  swap: { id: 'id', seconds: 60 },
  sweep: { id: 'id', seconds: 60 },
} as const;

/** By which claim work is done. It may cross to another process. */
export interface Lease {
  table: keyof typeof tables;
  id: number;
  fence: number;
}

/** The claim was given to another: nothing of this work may be kept. */
export class LeaseLost extends Error {
  constructor({ table, id }: Lease) {
    super(`${table} ${id} was given to another`);
  }
}

/** What is due, in SQL, and how many are taken of it. */
export interface Due {
  columns: string;
  where: string;
  values: readonly unknown[];
  order: string;
  most: number;
}

const MARKS = 'claimed_until IS NULL OR claimed_until < ?';

/** Takes what is due and nobody has; several instances never get the same. */
export async function claimDue<R extends object>(
  tx: Tx,
  table: Lease['table'],
  { columns, where, values, order, most }: Due,
): Promise<(R & { lease: Lease })[]> {
  const { id, seconds } = tables[table];
  const now = await tx.now();
  const rows = await tx.select<R & { leaseId: number; leaseFence: number }>(
    `SELECT ${columns}, ${id} AS leaseId, fence AS leaseFence FROM \`${table}\` WHERE (${where}) AND (${MARKS})
     ORDER BY ${order} LIMIT ${most} FOR UPDATE SKIP LOCKED`,
    [...values, now],
  );
  if (rows.length === 0) return [];
  await tx.execute(
    `UPDATE \`${table}\` SET claimed_until = ? + INTERVAL ? SECOND, fence = fence + 1 WHERE ${id} IN (?)`,
    [now, seconds, rows.map((row) => row.leaseId)],
  );
  return rows.map((row) => ({ ...row, lease: { table, id: Number(row.leaseId), fence: row.leaseFence + 1 } }));
}

/** Says that the work goes on. False when another has it by now. */
export async function renew(tx: Tx, { table, id, fence }: Lease): Promise<boolean> {
  const { id: column, seconds } = tables[table];
  // A row that stays as it is counts as none: a sign of life in the millisecond of the claim moves it on by another.
  const until = 'GREATEST(? + INTERVAL ? SECOND, COALESCE(claimed_until, ?) + INTERVAL 1000 MICROSECOND)';
  const now = await tx.now();
  const sql = `UPDATE \`${table}\` SET claimed_until = ${until} WHERE ${column} = ? AND fence = ?`;
  return (await tx.execute(sql, [now, seconds, now, id, fence])) === 1;
}

/** Inside the unit of work that keeps what was done: whether the claim still holds, and holds it until the end. */
export async function holds(tx: Tx, { table, id, fence }: Lease): Promise<boolean> {
  const { id: column } = tables[table];
  const sql = `SELECT 1 AS one FROM \`${table}\` WHERE ${column} = ? AND fence = ? FOR UPDATE`;
  return (await tx.one(sql, [id, fence])) !== undefined;
}

export async function mustHold(tx: Tx, lease: Lease): Promise<void> {
  if (!(await holds(tx, lease))) throw new LeaseLost(lease);
}

/** Lets go, so that whoever is next need not wait for the claim to end. */
export const release = (tx: Tx, { table, id, fence }: Lease): Promise<number> =>
  tx.execute(`UPDATE \`${table}\` SET claimed_until = NULL WHERE ${tables[table].id} = ? AND fence = ?`, [id, fence]);

/**
 * Does work that is claimed, with a sign of life three times within the time that a claim holds. `lost` is raised when
 * another has it: the work is to stop. While the database is away nobody can tell; what is kept of it asks once more.
 */
export async function whileHeld<T>(
  store: Store,
  actor: Actor,
  lease: Lease,
  work: (lost: AbortSignal) => Promise<T>,
  everyMs = (tables[lease.table].seconds * 1000) / 3,
): Promise<T> {
  const lost = new AbortController();
  const look = async (): Promise<void> => {
    const held = await transact(store, actor, 'claim.renew', (tx) => renew(tx, lease)).catch(() => true);
    if (!held) lost.abort(new LeaseLost(lease));
  };
  const beat = setInterval(() => void look(), everyMs);
  try {
    return await work(lost.signal);
  } finally {
    clearInterval(beat);
  }
}
