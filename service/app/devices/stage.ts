/** The stage of a device, moved by hand. */
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { Stage } from '@zpine/contract/kinds/devices';
import type { Tx } from '../../store/tx.ts';
import { openArrival } from '../arrivals/arrivals.ts';
import { endWindow } from '../arrivals/window.ts';
import { setFields } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';

/** The moves that people make; all others come from what the service sees. */
const byHand: Record<Stage, Stage[]> = {
  sketched: ['unproved', 'retired'],
  prepared: ['sketched', 'faulty', 'retired'],
  arriving: ['faulty', 'retired'],
  proving: ['faulty', 'retired'],
  serving: ['faulty', 'retired'],
  unproved: ['sketched', 'faulty', 'retired'],
  faulty: ['sketched', 'unproved', 'retired'],
  retired: ['sketched'],
};

export async function moveStage(tx: Tx, ref: string, to: string): Promise<Stored<'device'>> {
  const device = await mustFind(tx, 'device', ref, true);
  const from = device.stage as Stage;
  if (from === to) return device;
  const allowed = byHand[from];
  if (!allowed.includes(to as Stage))
    throw new Refusal('stage-move', { device: device.key, from, allowed: allowed.join(', ') });
  // Nobody waits for what is out of use, and it is given no file.
  const open = to === 'retired' ? await openArrival(tx, device.id) : undefined;
  if (open) await endWindow(tx, open);
  return setFields(tx, 'device', device.id, { stage: to });
}
