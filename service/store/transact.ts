/** How units of work begin and end. */
import { Refusal } from '@zpine/contract/errors';
import type { Remark } from '@zpine/contract/remarks';
import { connectionsOf } from './belowSequelize.ts';
import { refusalOfConstraint } from './constraints.ts';
import { isAway, isDeadlock, isLockTimeout, isTooSlow } from './database.ts';
import type { Actor, Store } from './store.ts';
import { Tx } from './tx.ts';
import { Unit } from './unit.ts';
import { withoutSecrets } from './withoutSecrets.ts';

const TRIES = 16;

/**
 * The one way to write: `work` runs in a transaction, is tried again when it met a deadlock or waited too long for a
 * lock, and leaves nothing behind when it fails. It must have no other side effect, since it may run several times.
 */
export async function transact<T>(
  store: Store,
  actor: Actor,
  action: string,
  work: (tx: Tx) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await once(store, actor, action, work, signal);
    } catch (error) {
      if (!isDeadlock(error)) throw asRefusal(error);
      if (attempt >= TRIES || (store.impatient && isLockTimeout(error))) throw new Refusal('busy');
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 15 * attempt));
    }
  }
}

async function once<T>(
  store: Store,
  actor: Actor,
  action: string,
  work: (tx: Tx) => Promise<T>,
  signal: AbortSignal | undefined,
): Promise<T> {
  const unit = await Unit.begin(connectionsOf(store.sequelize));
  const tx = new Tx(store, unit, actor, action, signal);
  let ended = false;
  try {
    const result = await work(tx);
    if (!tx.discarded) await tx.flush();
    ended = true;
    await (tx.discarded ? unit.rollback() : unit.commit());
    const touched = tx.discarded ? undefined : tx.touched.all();
    if (touched && touched.length > 0) await store.committed?.(touched);
    return result;
  } catch (error) {
    if (!ended) await unit.rollback();
    throw withoutSecrets(error, tx.unsealed);
  }
}

/** A unit of work that only reads, each statement for itself. */
export async function readOnly<T>(
  store: Store,
  actor: Actor,
  work: (tx: Tx) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  const tx = new Tx(store, null, actor, 'read', signal);
  try {
    return await work(tx);
  } catch (error) {
    throw asRefusal(withoutSecrets(error, tx.unsealed));
  }
}

/**
 * Work that is only tried: in a unit of work of its own, which is taken back. What it locked is free again when it is
 * over; what was to be said of it is said to `tx`.
 */
export async function probe<T>(tx: Tx, work: (tx: Tx) => Promise<T>): Promise<T> {
  const remarks: Remark[] = [];
  const tried = async (own: Tx): Promise<T> => {
    own.discarded = true;
    const result = await work(own);
    remarks.splice(0, remarks.length, ...own.remarks);
    return result;
  };
  const result = await transact(tx.store, tx.actor, tx.action, tried, tx.signal);
  for (const remark of remarks) tx.remark(remark);
  return result;
}

function asRefusal(error: unknown): unknown {
  if (error instanceof Refusal) return error;
  if (isTooSlow(error)) return new Refusal('too-slow');
  if (isAway(error)) return new Refusal('database-away');
  return refusalOfConstraint(error) ?? error;
}
