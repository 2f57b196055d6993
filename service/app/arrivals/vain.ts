/** Devices that boot and are given no file: nobody else would hear of it. */
import type { Stage } from '@zpine/contract/kinds/devices';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { setFields } from '../records/edit.ts';

export interface Vain {
  why: string;
  relay: string | null;
  circuit: string | null;
}

/** Who only asks for its address asks once; a device without a configuration asks again and again. */
const OFTEN = 3;
/** So long between two, and it is another time. */
const PAUSE_SECONDS = 600;

export async function saveVain(tx: Tx, id: number, { why, relay, circuit }: Vain): Promise<void> {
  const now = await tx.now();
  const values = [why.slice(0, 300), relay, circuit?.slice(0, 255) ?? null];
  await tx.execute(
    `INSERT INTO vain_boot (device_id, first_at, last_at, times, why, relay, circuit) VALUES (?, ?, ?, 1, ?, ?, ?)
     ON DUPLICATE KEY UPDATE times = IF(last_at < VALUES(last_at) - INTERVAL ${PAUSE_SECONDS} SECOND, 1, times + 1),
       first_at = IF(times = 1, VALUES(first_at), first_at), last_at = VALUES(last_at), why = VALUES(why), relay = VALUES(relay),
       circuit = VALUES(circuit)`,
    [id, now, now, ...values],
  );
  const row = await tx.one<{ times: number }>('SELECT times FROM vain_boot WHERE device_id = ?', [id]);
  if (Number(row?.times) !== OFTEN) return;
  tx.hint('device', id, null);
  const device = (await byIds(tx, 'device', [id], true)).get(id);
  const stage: Stage = 'arriving';
  if (device?.stage === 'serving') await setFields(tx, 'device', id, { stage });
}

/** It lets somebody in, or its window is open now: there is nothing more to say about it. */
export const forgetVain = async (tx: Tx, device: number): Promise<unknown> =>
  tx.execute('DELETE FROM vain_boot WHERE device_id = ?', [device]);

export interface VainBoot extends Vain {
  device: string;
  times: number;
  since: Date;
}

/** Of the last day. */
export async function vainBoots(tx: Tx, limit: number): Promise<VainBoot[]> {
  const rows = await tx.select<{
    natural_key: string;
    times: number;
    why: string;
    relay: string | null;
    circuit: string | null;
    first_at: Date;
  }>(
    `SELECT d.natural_key, v.times, v.why, v.relay, v.circuit, v.first_at FROM vain_boot v JOIN device d ON d.id = v.device_id
     WHERE v.times >= ${OFTEN} AND v.last_at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY AND d.stage <> 'retired'
     ORDER BY v.last_at DESC LIMIT ${limit}`,
  );
  return rows.map(({ natural_key: device, times, why, relay, circuit, first_at: since }) => ({
    ...{ device, why, relay, circuit, since },
    times: Number(times),
  }));
}
