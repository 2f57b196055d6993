/** A device that runs already, entered by hand or by its console, is proved as it is. */
import type { ShownArrival } from '@zpine/contract/onboardingShapes';
import { Refusal } from '@zpine/contract/errors';
import type { Tx } from '../../store/tx.ts';
import { mustActAt } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { onlyOne } from '../handler.ts';
import { mustFind } from '../records/refs.ts';
import { applyEvent, openArrival } from './arrivals.ts';
import { presentArrivals } from './list.ts';
import { openWindow } from './window.ts';

export async function proveNow(tx: Tx, ref: string, hours: number, user: User): Promise<ShownArrival> {
  const device = await mustFind(tx, 'device', ref, true);
  await mustActAt(tx, user, device);
  if (device.stage === 'serving') throw new Refusal('serves-already', { device: device.key });
  const row = (await openArrival(tx, device.id)) ?? (await openWindow(tx, device, hours));
  const was = device.stage === 'unproved' ? 'unproved' : 'prepared';
  return onlyOne(await presentArrivals(tx, [await applyEvent(tx, row, { kind: 'proof-asked', was })]));
}
