/** What is told of booting devices afterwards: notes, strangers, what arrivals have seen. Nobody waits for it. */
import type { Happened } from '@zpine/core/dhcp/decide';
import type { Client } from '@zpine/core/dhcp/client';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { applyEvent, openArrival } from '../arrivals/arrivals.ts';
import { saveStranger } from '../arrivals/strangers.ts';
import { saveBootRecords, type TimedNote } from './records.ts';
import { saveRefusedRelay } from './relays.ts';

export type SeenStranger = {
  client: Client;
  link: { id: number };
  address: string | null;
  conflict: string | null;
  packets: number;
};

export type Told =
  | { is: 'note'; note: TimedNote }
  | { is: 'stranger'; stranger: SeenStranger }
  | { is: 'relay'; link: { id: number }; relay: string; source: string }
  | { is: 'arrival'; device: number; happened: readonly Happened[] };

export async function saveTold(tx: Tx, all: readonly Told[]): Promise<void> {
  const arrivals = new Map<number, Happened[]>();
  for (const one of all)
    if (one.is === 'arrival') arrivals.set(one.device, [...(arrivals.get(one.device) ?? []), ...one.happened]);
  await tellArrivals(tx, arrivals);
  for (const one of all) {
    if (one.is === 'stranger') await saveStranger(tx, one.stranger);
    if (one.is === 'relay') await saveRefusedRelay(tx, one.link, one.relay, one.source);
  }
  await saveBootRecords(
    tx,
    all.flatMap((one) => (one.is === 'note' ? [one.note] : [])),
  );
}

async function tellArrivals(tx: Tx, arrivals: ReadonlyMap<number, Happened[]>): Promise<void> {
  if (arrivals.size === 0) return;
  // Devices first, in their order, as everybody else locks them.
  const devices = await byIds(
    tx,
    'device',
    [...arrivals.keys()].sort((a, b) => a - b),
    true,
  );
  for (const [device, happened] of arrivals) {
    if (!devices.has(device)) continue;
    let row = await openArrival(tx, device);
    for (const { event, ...seen } of happened) if (row) row = await applyEvent(tx, row, event, seen);
  }
}
