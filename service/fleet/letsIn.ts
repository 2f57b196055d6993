/** Whether a device lets the service in just now: it is signed in on, and left at once. */
import { targetsOf } from '../app/fleet/targets.ts';
import { byIds } from '../store/records.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';
import { connect, type ConnectOptions } from './connect.ts';

const actor: Actor = { name: 'service', via: 'service' };
/** Somebody waits for the answer. */
const MOST_MS = 4000;

export async function letsIn(store: Store, id: number, way: ConnectOptions): Promise<boolean> {
  const target = await readOnly(store, actor, async (tx) => {
    const device = (await byIds(tx, 'device', [id])).get(id);
    return device && (await targetsOf(tx, [device])).get(id);
  });
  if (!target?.dialect || target.address === null) return false;
  const trying = connect(target, way).then(
    ({ client }) => (client.end(), true),
    () => false,
  );
  const over = new Promise<boolean>((done) => setTimeout(() => done(false), MOST_MS).unref());
  return Promise.race([trying, over]);
}
