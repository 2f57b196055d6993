/** Booting clients that match no device: listed, recognised, or taken off the list. */
import { parseIp } from '@zpine/core/addressing/ip';
import { withoutAddress } from '@zpine/core/addressing/ranges';
import type { Client } from '@zpine/core/dhcp/client';
import { Refusal } from '@zpine/contract/errors';
import type { ShownStranger } from '@zpine/contract/onboardingShapes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { assignManagement } from '../addressing/management.ts';
import { editOne } from '../records/edit.ts';
import { mustActAt, mustNotServe } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { endLeases } from '../boot/leases.ts';
import { fitBox, isReasoned } from '../devices/fit.ts';
import { mustFindField } from '../records/refs.ts';
import { believe, contradictionOf } from './contradictions.ts';
import { openWindow } from './window.ts';
import { boxesOf, presentStrangers, strangers, type StrangerRow } from './presentStrangers.ts';

/** So many of a prefix are listed at a time; who floods a wire with names of clients fills no table. */
export const MOST_LISTED = 200;

/** A dismissed stranger comes back on the list when it is heard of after so long. */
const FORGOTTEN_HOURS = 24;
/** Listeners are told of known strangers only now and then. */
const TELL_EVERY = 5;

/** `packets`: how many of it were heard since it was saved last. */
export async function saveStranger(
  tx: Tx,
  {
    client,
    link,
    address,
    conflict,
    packets,
  }: { client: Client; link: { id: number }; address: string | null; conflict: string | null; packets: number },
): Promise<void> {
  const now = await tx.now();
  const values = {
    mac: client.mac,
    serial: client.serial?.slice(0, 100) ?? null,
    vendor_class: client.vendorClass?.slice(0, 255) ?? null,
    relay: client.relay,
    circuit: client.circuit?.slice(0, 255) ?? null,
    prefix_id: link.id,
    address,
    conflict: conflict?.slice(0, 500) ?? null,
    last_at: now,
  };
  const known = await tx.one<StrangerRow>(`SELECT ${strangers.all} FROM stranger WHERE client = ? FOR UPDATE`, [
    client.word,
  ]);
  if (!known) {
    const [id] = await tx.insertRows('stranger', [{ client: client.word, first_at: now, packets, ...values }]);
    tx.hint('stranger', Number(id), 1);
    return;
  }
  // A packet that was under way while somebody recognised it says nothing new.
  if (known.settled_as === 'device' && conflict === null && ((await boxOf(tx, known))?.device ?? null) !== null) return;
  // One that was recognised and is unknown again has lost its box; one that was dismissed is back after a day.
  const back =
    known.settled_at !== null &&
    (known.settled_as === 'device' || known.settled_at.getTime() < now.ms - FORGOTTEN_HOURS * 3_600_000);
  const more = back
    ? { settled_at: null, settled_by: null, settled_as: null, device_id: null, first_at: now, packets }
    : { packets: known.packets + packets };
  const fields: Record<string, unknown> = { ...values, ...more, version: known.version + 1 };
  await tx.execute(
    `UPDATE stranger SET ${Object.keys(fields)
      .map((n) => `${n} = ?`)
      .join(', ')} WHERE id = ?`,
    [...Object.values(fields), known.id],
  );
  const news =
    back ||
    known.conflict !== values.conflict ||
    known.address !== address ||
    Math.floor((known.packets + packets) / TELL_EVERY) > Math.floor(known.packets / TELL_EVERY);
  if (news) tx.hint('stranger', Number(known.id), known.version + 1);
}

/** The last ones that were heard of. */
export async function listStrangers(
  tx: Tx,
  query: QueryOf<'stranger.list'>,
  most = MOST_LISTED,
): Promise<ReplyOf<'stranger.list'>> {
  const settled = query.settled === 'true' ? 'NOT NULL' : 'NULL';
  const rows = await tx.select<StrangerRow>(
    `SELECT ${strangers.all} FROM stranger WHERE settled_at IS ${settled} ORDER BY last_at DESC LIMIT ?`,
    [most],
  );
  return { items: await presentStrangers(tx, rows) };
}

const boxOf = async (tx: Tx, row: StrangerRow): Promise<Stored<'box'> | undefined> =>
  (await boxesOf(tx, [row])).get(row.id);

async function mustFindStranger(tx: Tx, id: string, lock: '' | 'FOR UPDATE' = 'FOR UPDATE'): Promise<StrangerRow> {
  const row = /^[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<StrangerRow>(`SELECT ${strangers.all} FROM stranger WHERE id = ? ${lock}`, [Number(id)])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'stranger', ref: id });
  return row;
}

/** One that nobody has settled yet: to be looked at, or held for settling it. */
export async function mustFindUnsettled(tx: Tx, id: string, lock?: ''): Promise<StrangerRow> {
  const row = await mustFindStranger(tx, id, lock);
  if (row.settled_at !== null) throw new Refusal('stranger-settled', { id, as: row.settled_as ?? '' });
  return row;
}

async function settle(
  tx: Tx,
  row: StrangerRow,
  as: 'device' | 'dismissed',
  device: number | null,
): Promise<ShownStranger> {
  await tx.execute(
    'UPDATE stranger SET settled_at = ?, settled_by = ?, settled_as = ?, device_id = ?, version = version + 1 WHERE id = ?',
    [await tx.now(), tx.actor.name, as, device, row.id],
  );
  tx.hint('stranger', Number(row.id), row.version + 1);
  // It may stand on the list under its other names, too.
  if (as === 'device' && device !== null)
    await settleHeard(tx, device, { client: row.client, mac: row.mac, serial: row.serial });
  const [shown] = await presentStrangers(tx, [await mustFindStranger(tx, String(row.id))]);
  if (!shown) throw new Error('a stranger was lost on its way out');
  return shown;
}

/** Whoever is known as a device by now is no stranger: by what it calls itself, by its hardware address, by its serial. */
export async function settleHeard(
  tx: Tx,
  device: number,
  { client, mac, serial }: { client: string; mac: string; serial: string | null },
): Promise<void> {
  const count = await tx.execute(
    `UPDATE stranger SET settled_at = ?, settled_by = ?, settled_as = 'device', device_id = ?, version = version + 1
     WHERE settled_at IS NULL AND (client = ? OR (mac = ? AND mac <> '') OR serial = ?)`,
    [await tx.now(), tx.actor.name, device, client, mac, serial],
  );
  if (count > 0) tx.hint('stranger', 0, null);
}

/** Its box is entered where it is new, and fitted; its quarantine lease ends, so that it boots as the device. */
export async function recognise(
  tx: Tx,
  id: string,
  input: BodyOf<'stranger.recognise'>,
  user: User,
): Promise<ShownStranger> {
  // The device may be asked whether it lets the service in, and nothing is held while it is.
  await mustFindUnsettled(tx, id, '');
  const device = await mustFindField(tx, 'device', input.device, 'device');
  await mustActAt(tx, user, device);
  await mustNotServe(tx, user, device);
  const row = await mustFindUnsettled(tx, id);
  if (row.serial !== null && input.serial !== undefined && input.serial.toLowerCase() !== row.serial.toLowerCase()) {
    throw Refusal.at(['serial'], 'stranger-other-serial', { given: input.serial, said: row.serial });
  }
  const why = await contradictionOf(tx, row, device);
  if (why !== undefined && !isReasoned(tx)) {
    const client = row.serial ?? (row.mac || row.client);
    throw new Refusal('stranger-contradicts', { id, client, device: device.key, why });
  }
  const mac = row.mac || null;
  const serial = row.serial ?? input.serial ?? null;
  if (serial === null && mac === null) throw Refusal.at(['serial'], 'stranger-serial', { mac: row.mac });
  if (row.conflict !== null) await believe(tx, { serial, mac });
  await fitBox(tx, device, { serial, mac, before: 'faulty', knowingly: isReasoned(tx) });
  if (input.keepAddress) await keepAddress(tx, row, device);
  await endLeases(tx, row.conflict === null ? 'client = ?' : 'client = ? OR device_id = ?', [
    row.client,
    ...(row.conflict === null ? [] : [device.id]),
  ]);
  if (input.openHours !== undefined) await openWindow(tx, device, input.openHours);
  return settle(tx, row, 'device', device.id);
}

/** What it was given for a while, or took itself, is its own from now on: in no pool, and no one else's. */
async function keepAddress(tx: Tx, { address, prefix_id }: StrangerRow, device: Stored<'device'>): Promise<void> {
  const ip = address === null ? undefined : parseIp(address);
  const prefix = (await byIds(tx, 'prefix', prefix_id === null ? [] : [Number(prefix_id)])).get(Number(prefix_id));
  if (!ip?.ok || !prefix || address === null) throw Refusal.at(['keepAddress'], 'stranger-address');
  const left = {
    pool: withoutAddress(prefix.pool, ip.value),
    quarantine: withoutAddress(prefix.quarantine, ip.value),
  };
  if (left.pool !== prefix.pool || left.quarantine !== prefix.quarantine)
    await editOne(tx, 'prefix', `#${prefix.id}`, left);
  await assignManagement(tx, `#${device.id}`, { prefix: `#${prefix.id}`, address });
}

export async function dismiss(tx: Tx, id: string): Promise<ShownStranger> {
  const row = await mustFindUnsettled(tx, id);
  return settle(tx, row, 'dismissed', null);
}

/** Many at once, as a flood of made-up names leaves them. */
export async function dismissMany(
  tx: Tx,
  { prefix, quietMinutes, apply }: BodyOf<'stranger.dismissMany'>,
): Promise<ReplyOf<'stranger.dismissMany'>> {
  const now = await tx.now();
  const tests = ['settled_at IS NULL'];
  const values: unknown[] = [];
  if (prefix !== undefined) {
    tests.push('prefix_id = ?');
    values.push((await mustFindField(tx, 'prefix', prefix, 'prefix')).id);
  }
  if (quietMinutes !== undefined) {
    tests.push('last_at < ? - INTERVAL ? MINUTE');
    values.push(now, quietMinutes);
  }
  const where = tests.join(' AND ');
  if (!apply) {
    const row = await tx.one<{ n: number }>(`SELECT COUNT(*) AS n FROM stranger WHERE ${where}`, values);
    return { count: Number(row?.n ?? 0), applied: false };
  }
  const count = await tx.execute(
    `UPDATE stranger SET settled_at = ?, settled_by = ?, settled_as = 'dismissed', version = version + 1 WHERE ${where}`,
    [now, tx.actor.name, ...values],
  );
  // One hint for all: whoever shows the list asks for it again.
  if (count > 0) tx.hint('stranger', 0, null);
  return { count, applied: true };
}
