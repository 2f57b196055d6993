/** What people do with a swap: begin it, say which box it is, tick cables off, take it back, close it. */
import { boxName } from '@zpine/core/naming/boxName';
import { parseMac } from '@zpine/core/addressing/mac';
import { splitKey } from '@zpine/contract/kind';
import { kindOf, type Stored } from '@zpine/contract/kinds';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf } from '@zpine/contract/routes';
import { byId, byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustActAt, mustNotWork } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { probe } from '../../store/transact.ts';
import { compare } from '../fleet/asks.ts';
import { REACH } from '../fleet/watch.ts';
import { openWindow } from '../arrivals/window.ts';
import { boxNamed, fitBox, isReasoned } from '../devices/fit.ts';
import { editOne } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';
import { onlyBehind } from './behind.ts';
import { mustBeOpen, openSwapOf, saveSwap, ticksOf, type SwapRow } from './rows.ts';

/** Since when the watch has not reached it; undefined where it is reached, or not watched. */
export async function awaySince(tx: Tx, device: number): Promise<Date | undefined> {
  const row = await tx.one<{ at: Date }>(
    `SELECT MAX(n.at) AS at FROM watched w JOIN notice n ON n.device_id = w.device_id AND n.what = w.what AND n.turn = 'down'
     WHERE w.device_id = ? AND w.what = ? AND w.state <> 'reached' HAVING at IS NOT NULL`,
    [device, REACH],
  );
  return row?.at;
}

/** A box by its serial or MAC, as somebody typed it. */
function hardwareOf(typed: string): { serial: string | null; mac: string | null } {
  const { serial, mac } = splitKey(kindOf('box'), typed.trim());
  const read = mac === undefined ? undefined : parseMac(mac);
  if (read?.ok === false) throw Refusal.at(['box'], read.fault.code, read.fault.params);
  return { serial: serial ?? null, mac: read?.ok === true ? read.value : null };
}

export async function startSwap(tx: Tx, ref: string, body: BodyOf<'swap.start'>, user: User): Promise<number> {
  // The device may be asked whether it lets the service in, and nothing is held while it is.
  const seen = await mustFind(tx, 'device', ref);
  await mustActAt(tx, user, seen);
  await mustNotWork(tx, user, seen);
  const spare = body.box === undefined ? undefined : await mustFit(tx, seen, body.box);
  const device = await mustFind(tx, 'device', ref, true);
  const standing = await openSwapOf(tx, device.id, true);
  if (standing) throw new Refusal('swap-open', { id: standing.id, device: device.key });
  const [old] = await find(tx, 'box', { device_id: device.id }, { lock: true });
  if (!old) throw new Refusal('swap-no-box', { device: device.key });
  const now = await tx.now();
  // Whoever was not reached before is down since then.
  const away = await awaySince(tx, device.id);
  const [id = 0] = await tx.insertRows('swap', [
    {
      device_id: device.id,
      device_key: device.key,
      state: 'begun',
      old_box_id: old.id,
      old_box: boxName(old),
      reason: tx.actor.reason ?? null,
      started_at: now,
      started_by: tx.actor.name,
      down_at: away ?? null,
      behind: JSON.stringify(await onlyBehind(tx, device)),
      ticks: '{}',
      // It is fitted once the old box was asked: what hangs where is not known afterwards.
      spare: spare ?? null,
      spare_hours: spare === undefined ? null : body.hours,
      look_at: now,
    },
  ]);
  tx.hint('swap', id, null);
  const published = await tx.one('SELECT id FROM edition WHERE device_id = ? AND published_at IS NOT NULL LIMIT 1', [
    device.id,
  ]);
  // What it runs beyond its edition would be lost with it.
  if (published && device.stage !== 'faulty') {
    const run = await compare(tx, { devices: [device.key], captured: false });
    await saveSwap(tx, id, { compare_run: run.id });
  }
  return id;
}

/** What speaks against a spare is said before anything is begun. Gives its name. */
async function mustFit(tx: Tx, device: Stored<'device'>, typed: string): Promise<string> {
  const hardware = hardwareOf(typed);
  const [old] = await find(tx, 'box', { device_id: device.id });
  const known = await boxNamed(tx, hardware, false);
  if (old && known?.id === old.id)
    throw Refusal.at(['box'], 'swap-same-box', { box: boxName(old), device: device.key });
  const name = known ? boxName(known) : boxName(hardware);
  const taken = await tx.one<{ device_key: string }>(
    'SELECT device_key FROM swap WHERE closed_at IS NULL AND spare = ? AND device_id <> ? LIMIT 1',
    [name, device.id],
  );
  if (taken) throw Refusal.at(['box'], 'swap-spare-taken', { box: name, device: taken.device_key });
  if (old)
    await probe(tx, async (own) => {
      await markFaulty(own, old.id);
      await fitBox(own, await byId(own, 'device', device.id, true), {
        ...hardware,
        before: 'faulty',
        knowingly: isReasoned(own),
      });
    });
  return name;
}

/** The spare that was named at the beginning, once the old box has said what it knows, or says nothing any more. */
export async function fitNamed(tx: Tx, row: SwapRow): Promise<void> {
  if (row.spare === null || (row.was === null && row.fault === null)) return;
  const comparing =
    row.compare_run !== null &&
    (await tx.one("SELECT id FROM run WHERE id = ? AND state <> 'ended' AND started_at > ? - INTERVAL 60 SECOND", [
      row.compare_run,
      await tx.now(),
    ]));
  if (comparing) return;
  const device = await byId(tx, 'device', Number(row.device_id), true);
  await fitIn(tx, row, device, hardwareOf(row.spare), row.spare_hours ?? 24);
}

/** The spare takes the place of the old box, and may boot. */
export async function fitSpare(
  tx: Tx,
  id: string,
  { box: typed, hours }: BodyOf<'swap.fit'>,
  user: User,
): Promise<void> {
  const row = await mustBeOpen(tx, id);
  const device = await byId(tx, 'device', Number(row.device_id), true);
  await mustActAt(tx, user, device);
  if (row.state !== 'begun') throw new Refusal('swap-late', { box: row.new_box ?? '', device: device.key });
  const hardware = hardwareOf(typed);
  const known = await boxNamed(tx, hardware);
  if (known && known.id === Number(row.old_box_id))
    throw Refusal.at(['box'], 'swap-same-box', { box: boxName(known), device: device.key });
  const taken = await tx.one<{ device_key: string }>(
    'SELECT device_key FROM swap WHERE closed_at IS NULL AND spare = ? AND id <> ? LIMIT 1',
    [known ? boxName(known) : boxName(hardware), row.id],
  );
  if (taken) throw Refusal.at(['box'], 'swap-spare-taken', { box: typed, device: taken.device_key });
  await fitIn(tx, row, device, hardware, hours);
}

/** Puts hardware in; also where it was recognised by its port or by somebody. */
async function fitIn(
  tx: Tx,
  row: SwapRow,
  device: Stored<'device'>,
  hardware: { serial: string | null; mac: string | null },
  hours: number,
): Promise<void> {
  await markFaulty(tx, Number(row.old_box_id));
  await fitBox(tx, device, { ...hardware, before: 'faulty', knowingly: isReasoned(tx) });
  await openWindow(tx, await byId(tx, 'device', device.id, true), hours);
}

/** It is to go: nobody has to give a reason for taking it out. */
async function markFaulty(tx: Tx, box: number): Promise<void> {
  const old = (await byIds(tx, 'box', [box])).get(box);
  if (old && old.condition === 'fitted') await editOne(tx, 'box', `#${old.id}`, { condition: 'faulty' });
}

export async function tickCables(tx: Tx, id: string, { ports, done }: BodyOf<'swap.tick'>, user: User): Promise<void> {
  const row = await mustBeOpen(tx, id);
  const device = await byId(tx, 'device', Number(row.device_id));
  await mustActAt(tx, user, device);
  const ticks = ticksOf(row);
  const at = (await tx.now()).iso;
  for (const ref of ports) {
    const port = await mustFind(tx, 'port', ref.includes(':') ? ref : `${device.key}:${ref}`);
    if (port.device !== device.id) throw Refusal.at(['ports'], 'not-found', { kind: 'port', ref });
    if (done) ticks[port.name] = { by: tx.actor.name, at };
    else delete ticks[port.name];
  }
  await saveSwap(tx, Number(row.id), { ticks: JSON.stringify(ticks) });
}

export async function callOff(tx: Tx, id: string, user: User): Promise<void> {
  const row = await mustBeOpen(tx, id);
  await mustActAt(tx, user, await byId(tx, 'device', Number(row.device_id)));
  if (row.state !== 'begun') throw new Refusal('swap-late', { box: row.new_box ?? '', device: row.device_key });
  const now = await tx.now();
  await saveSwap(tx, Number(row.id), { state: 'called off', closed_at: now.date, look_at: null });
}

export async function takeBack(tx: Tx, id: string, hours: number, user: User): Promise<void> {
  const row = await mustBeOpen(tx, id);
  const device = await byId(tx, 'device', Number(row.device_id), true);
  await mustActAt(tx, user, device);
  const old = (await byIds(tx, 'box', [Number(row.old_box_id)], true)).get(Number(row.old_box_id));
  if (row.state === 'begun' || !old) throw new Refusal('swap-early', { device: device.key });
  await editOne(tx, 'box', `#${old.id}`, { condition: 'stock' });
  await fitBox(tx, device, { serial: old.serial, mac: old.mac, before: 'stock', knowingly: true });
  await openWindow(tx, await byId(tx, 'device', device.id, true), hours);
  const now = await tx.now();
  await saveSwap(tx, Number(row.id), { state: 'taken back', closed_at: now.date, look_at: null });
}

export async function closeSwap(tx: Tx, id: string, { oldBox }: BodyOf<'swap.close'>): Promise<void> {
  const row = await mustBeOpen(tx, id);
  if (row.state === 'begun') throw new Refusal('swap-early', { device: row.device_key });
  if (row.state !== 'serving' && !isReasoned(tx)) throw new Refusal('swap-not-serving', { device: row.device_key });
  const old = (await byIds(tx, 'box', [Number(row.old_box_id)], true)).get(Number(row.old_box_id));
  if (old && old.device === null && old.condition !== oldBox)
    await editOne(tx, 'box', `#${old.id}`, { condition: oldBox });
  const now = await tx.now();
  await saveSwap(tx, Number(row.id), { state: 'closed', closed_at: now.date, look_at: null });
}
