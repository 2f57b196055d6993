/** Takes the room of everything that stands in racks: once after an update, when the table of slots is younger than they are. */
import type { JobWork } from '../../store/jobs.ts';
import { find } from '../../store/records.ts';
import type { Actor } from '../../store/store.ts';
import { transact } from '../../store/transact.ts';
import { freeSlots, clashingSlots, placedDevices, occupySlots } from './slots.ts';

const actor: Actor = { name: 'service', via: 'service' };

export const reslot: JobWork = async (store) => {
  await transact(store, actor, 'reslot', async (tx) => {
    // Held fast: one that is moved meanwhile would keep its room in both places.
    const placed = await placedDevices(tx, await find(tx, 'device', {}, { lock: true }));
    // What overlapped before anybody looked keeps its place in the records; the first one has the room.
    const overlapping = await clashingSlots(tx, placed);
    const sound = placed.filter((one) => !overlapping.has(one));
    await freeSlots(
      tx,
      'device',
      placed.map((one) => one.id),
    );
    await occupySlots(tx, sound);
  });
  return undefined;
};
