/** Devices held against their editions by what was captured of them last: when another edition was published, and by hand. */
import type { JobWork } from '../../store/jobs.ts';
import { byIds } from '../../store/records.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import { capturedTexts } from './captures.ts';
import { driftOf, type FoundDrift } from './compared.ts';
import { intendedOf, saveDrift } from './drift.ts';
import { targetsOf } from './targets.ts';

const actor: Actor = { name: 'service', via: 'service' };

/** `{device}`: its number. */
export const recompare: JobWork = async (store, payload) => {
  const { device } = payload as { device: number };
  const found = await foundNow(store, device);
  if (found) await transact(store, actor, 'drift', (tx) => saveDrift(tx, device, found));
  return undefined;
};

/** Nothing where it is gone, or was never captured. */
async function foundNow(store: Store, device: number): Promise<FoundDrift | undefined> {
  const read = await readOnly(store, actor, async (tx) => {
    const texts = await capturedTexts(tx, device);
    const record = texts && (await byIds(tx, 'device', [device])).get(device);
    if (!record) return undefined;
    const target = (await targetsOf(tx, [record])).get(device);
    return { texts, target, intended: (await intendedOf(tx, [device])).get(device) };
  });
  if (!read?.target?.dialect) return undefined;
  const { texts, target, intended } = read;
  return driftOf(target, read.target.dialect, intended, texts);
}
