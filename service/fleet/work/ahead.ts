/** Published editions of a run's devices, read some at a time shortly before they are needed, and held no longer. */
import { intendedOf } from '../../app/fleet/drift.ts';
import type { IntendedEdition } from '../../app/fleet/compared.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly } from '../../store/transact.ts';

/** An edition of a large switch is a few dozen kilobytes. */
const AT_A_TIME = 50;

export class EditionsAhead {
  private readonly store: Store;
  private readonly actor: Actor;
  private readonly order: number[];
  private readonly read = new Map<number, Promise<Map<number, IntendedEdition>>>();

  /** `order`: the devices, as they are begun with. */
  constructor(store: Store, actor: Actor, order: readonly number[]) {
    this.store = store;
    this.actor = actor;
    this.order = [...order];
  }

  async of(device: number): Promise<IntendedEdition | undefined> {
    let found = this.read.get(device);
    if (!found) {
      const at = this.order.indexOf(device);
      const slice = at < 0 ? [device] : this.order.splice(at, AT_A_TIME);
      found = readOnly(this.store, this.actor, (tx) => intendedOf(tx, slice));
      for (const one of slice) this.read.set(one, found);
    }
    this.read.delete(device);
    return (await found).get(device);
  }
}
