/** What is told of booting devices afterwards: notes, strangers, what arrivals have seen. Nobody waits for it. */
import type { Happened } from '@zpine/core/dhcp/decide';
import type { Client } from '@zpine/core/dhcp/client';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { recogniseByPort } from '../arrivals/byPort.ts';
import { elsewhere, placeWord } from '../arrivals/plugged.ts';
import { saveVain, type Vain } from '../arrivals/vain.ts';
import { applyEvent, openArrival, stateOf } from '../arrivals/arrivals.ts';
import { takeSerial } from '../devices/serial.ts';
import { saveStranger, settleHeard } from '../arrivals/strangers.ts';
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
  /** A client that stood on the list of strangers is answered as a device. */
  | { is: 'known'; device: number; client: Pick<Client, 'word' | 'mac' | 'serial'> }
  /** A device boots, and is given no file. */
  | { is: 'vain'; device: number; vain: Vain }
  | { is: 'arrival'; device: number; happened: readonly Happened[] };

export async function saveTold(tx: Tx, all: readonly Told[]): Promise<void> {
  const arrivals = new Map<number, Happened[]>();
  for (const one of all)
    if (one.is === 'arrival') arrivals.set(one.device, [...(arrivals.get(one.device) ?? []), ...one.happened]);
  await tellArrivals(tx, arrivals);
  for (const one of all) {
    if (one.is === 'stranger') await saveStranger(tx, one.stranger);
    if (one.is === 'stranger') await recogniseByPort(tx, one.stranger.client);
    if (one.is === 'vain') await saveVain(tx, one.device, one.vain);
    if (one.is === 'known') await settleHeard(tx, one.device, { ...one.client, client: one.client.word });
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
    const record = devices.get(device);
    if (!record) continue;
    let row = await openArrival(tx, device);
    for (const { event, tells, place, ...seen } of happened) {
      if (tells !== undefined) await takeSerial(tx, device, tells);
      if (row) row = await applyEvent(tx, row, event, seen);
      const at = place && placeWord(place);
      if (!row || !place || at === undefined || stateOf(row).plugged === at) continue;
      row = await applyEvent(tx, row, { kind: 'plugged', at, elsewhere: await elsewhere(tx, record, place) });
    }
  }
}
