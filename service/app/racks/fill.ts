/** Many devices into several racks at once: named by their patterns, each at the next U that is free for its model. */
import { slotName, slotsOf, type Extent } from '@zpine/core/rack/occupancy';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { nextName } from '../devices/nextName.ts';
import { addOne } from '../records/add.ts';
import { mustFindAll, mustFindField } from '../records/refs.ts';
import { extentOfDevice, shapeOf, occupiedSlots } from './slots.ts';

type Filled = ReplyOf<'rack.fill'>;

/** A rack, and the places in it for what is to come, the first one first. */
interface Room {
  rack: Stored<'rack'>;
  /** Null for what takes no U. */
  places: (number | null)[];
}

export async function fill(tx: Tx, body: BodyOf<'rack.fill'>): Promise<Filled> {
  const racks = await mustFindAll(tx, 'rack', [...new Set(body.racks)]);
  const model = body.model === undefined ? undefined : await mustFindField(tx, 'model', body.model, 'model');
  const rooms: Room[] = [];
  for (const rack of racks) rooms.push({ rack, places: await placesIn(tx, rack, model, body) });
  const shares = share(
    body.count,
    rooms.map((room) => room.places.length),
  );
  if (shares === undefined) {
    const free = rooms.reduce((sum, room) => sum + room.places.length, 0);
    throw Refusal.at(['count'], 'racks-full', { count: body.count, free });
  }
  const items: Filled['items'] = [];
  for (const [i, { rack, places }] of rooms.entries()) {
    for (const positionU of places.slice(0, shares[i])) {
      const given = { ...(body.duty ? { duty: body.duty } : {}), ...(body.model ? { model: body.model } : {}) };
      const { name } = await nextName(tx, { rack: `#${rack.id}`, ...given });
      const { owner, labels, face } = body;
      const more = { ...(owner ? { owner } : {}), ...(labels ? { labels } : {}), face };
      const place = positionU === null ? {} : { positionU };
      await addOne(tx, 'device', { name, rack: `#${rack.id}`, ...place, ...given, ...more });
      items.push({ device: name, rack: rack.key, positionU });
    }
  }
  if (!body.apply) tx.discarded = true;
  return { applied: body.apply, items };
}

/** Places in a rack, one behind the other; none touches another. */
async function placesIn(
  tx: Tx,
  rack: Stored<'rack'>,
  model: Stored<'model'> | undefined,
  { face, from, startU, count }: BodyOf<'rack.fill'>,
): Promise<(number | null)[]> {
  if (model?.heightU === 0) return Array.from({ length: count }, () => null);
  const taken = new Set((await occupiedSlots(tx, rack.id)).map(slotName));
  const heightU = Math.max(1, model?.heightU ?? 1);
  const last = rack.heightU - heightU + 1;
  const numbers = Array.from({ length: Math.max(0, last) }, (_, i) => i + 1).filter((u) =>
    startU === undefined ? true : from === 'bottom' ? u >= startU : u + heightU - 1 <= startU,
  );
  // What is printed on the rack may count from above.
  const upwards = (from === 'bottom') === (rack.numbering === 'bottom');
  const places: number[] = [];
  for (const positionU of upwards ? numbers : numbers.toReversed()) {
    const extent: Extent = extentOfDevice({ positionU, face, side: 'left' }, model);
    const slots = slotsOf(shapeOf(rack), extent).map(slotName);
    if (slots.some((slot) => taken.has(slot))) continue;
    for (const slot of slots) taken.add(slot);
    places.push(positionU);
  }
  return places;
}

/** As evenly as there is room: each rack in turn gets one more. */
function share(count: number, room: number[]): number[] | undefined {
  const shares = room.map(() => 0);
  for (let left = count; left > 0;) {
    const before = left;
    for (const [i, places] of room.entries()) {
      if (left === 0 || (shares[i] ?? 0) >= places) continue;
      shares[i] = (shares[i] ?? 0) + 1;
      left -= 1;
    }
    if (left === before) return undefined;
  }
  return shares;
}
