/** What is read of a run's devices from the database: some at a time, shortly before it is needed, and held no longer. */
import { looksAt, type Look } from '../../app/checks/looking.ts';
import type { PlannedCheck } from '../../app/checks/planned.ts';
import type { IntendedEdition } from '../../app/fleet/compared.ts';
import { intendedOf } from '../../app/fleet/drift.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly } from '../../store/transact.ts';

/** An edition of a large switch is a few dozen kilobytes. */
const AT_A_TIME = 50;

type Read<T> = (devices: number[]) => Promise<Map<number, T>>;

export class Ahead<T> {
  private readonly order: number[];
  private readonly readMany: Read<T>;
  private readonly read = new Map<number, Promise<Map<number, T>>>();

  /** `order`: the devices, as they are begun with. */
  constructor(order: readonly number[], readMany: Read<T>) {
    this.order = [...order];
    this.readMany = readMany;
  }

  async of(device: number): Promise<T | undefined> {
    let found = this.read.get(device);
    if (!found) {
      const at = this.order.indexOf(device);
      const slice = at < 0 ? [device] : this.order.splice(at, AT_A_TIME);
      found = this.readMany(slice);
      for (const one of slice) this.read.set(one, found);
    }
    this.read.delete(device);
    return (await found).get(device);
  }
}

/** Published editions. */
export const editionsAhead = (store: Store, actor: Actor, order: readonly number[]): Ahead<IntendedEdition> =>
  new Ahead(order, (devices) => readOnly(store, actor, (tx) => intendedOf(tx, devices)));

/** What checks are judged by. */
export function looksAhead(
  store: Store,
  actor: Actor,
  order: readonly number[],
  checks: readonly PlannedCheck[],
): Ahead<Look> {
  const needs = { texts: checks.some(({ uses }) => uses.running), far: checks.some(({ uses }) => uses.carried) };
  return new Ahead(order, (devices) => readOnly(store, actor, (tx) => looksAt(tx, devices, needs)));
}
