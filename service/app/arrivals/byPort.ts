/** Where a box is plugged in is who it is: recognised by itself, where that was permitted and nothing speaks against it. */
import type { Client } from '@zpine/core/dhcp/client';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, byKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { isSwapped } from '../swaps/waits.ts';
import { fitBox } from '../devices/fit.ts';
import { endLeases } from '../boot/leases.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { presentStrangers, strangers, type StrangerRow } from './presentStrangers.ts';
import { settleHeard } from './strangers.ts';
import { batchSays } from './inBatch.ts';

const RULE = 'arrival.by-port';
/** Another client that was heard of there since is at that port, too. */
const BESIDE_MINUTES = 60;
/** Looked at when it is new, and now and then. */
const EVERY = 5;

export async function recogniseByPort(tx: Tx, client: Client): Promise<void> {
  if (client.circuit === null) return;
  const row = await tx.one<StrangerRow>(
    `SELECT ${strangers.all} FROM stranger WHERE client = ? AND settled_at IS NULL AND conflict IS NULL AND circuit IS NOT NULL`,
    [client.word],
  );
  if (!row || (row.packets > EVERY && row.packets % EVERY > 0) || !(await isAlone(tx, row))) return;
  const [shown] = await presentStrangers(tx, [row]);
  const there = shown?.candidates.filter(({ hangs }) => hangs) ?? [];
  const [one] = there;
  if (!one || there.length > 1 || !one.fits) return;
  const [found] = (await byKeys(tx, 'device', [one.device])).values();
  const device = found && (await byIds(tx, 'device', [found.id], true)).get(found.id);
  if (!device) return;
  if (!(await mayBeBySelf(tx, device))) return;
  try {
    await fitBox(tx, device, { serial: row.serial, mac: row.mac || null, before: 'faulty' });
  } catch (error) {
    // What is refused is left to somebody who looks at it: it is on their list.
    if (error instanceof Refusal) return;
    throw error;
  }
  await endLeases(tx, 'client = ?', [row.client]);
  await settleHeard(tx, device.id, row);
}

/** By the setting, by its batch, or because another box is waited for there. */
async function mayBeBySelf(tx: Tx, device: Stored<'device'>): Promise<boolean> {
  const { value } = await settingsOfMany(tx, [device], [RULE]);
  return (
    value(device, RULE) === true ||
    (await batchSays(tx, device, ({ strangers: rule }) => rule === 'by-port')) ||
    (await isSwapped(tx, device.id))
  );
}

/** Nobody else was heard of at the same port a short time ago. */
async function isAlone(tx: Tx, { client, relay, circuit }: StrangerRow): Promise<boolean> {
  const beside = await tx.one(
    `SELECT id FROM stranger WHERE circuit = ? AND relay <=> ? AND client <> ? AND settled_at IS NULL
     AND last_at > ? - INTERVAL ${BESIDE_MINUTES} MINUTE LIMIT 1`,
    [circuit, relay, client, await tx.now()],
  );
  return beside === undefined;
}
