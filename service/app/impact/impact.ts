/**
 * What a write would do elsewhere. It is done and taken back, again for each batch of devices: their state before and
 * after is loaded in between, and what differs is rendered when no lock is held any more. Results come as they are found.
 */
import { Refusal } from '@zpine/contract/errors';
import type { ImpactEvent } from '@zpine/contract/impactShapes';
import { byKeys, keysOf } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { yielding, type YieldNow } from './yielding.ts';
import { Consequences } from './consequences.ts';
import { alike, differenceOf } from './difference.ts';
import { Groups } from './groups.ts';
import { AffectedDevices } from './affected.ts';
import {
  editionsOf,
  preload,
  newSettings,
  statesOf,
  type DeviceState,
  type EditionDigests,
  type Preloaded,
} from './state.ts';

export interface Previewed {
  store: Store;
  actor: Actor;
  action: string;
  /** The use case; it may run many times. */
  work: (tx: Tx) => Promise<unknown>;
  /** The kind of record that it is about. */
  kind: string;
  seconds: number;
  signal?: AbortSignal | undefined;
}

/** The first results are wanted soon; what comes behind is read in larger pieces. */
const FIRST_BATCH = 40;
const BATCH = 100;
/** Where the write itself takes long, it is not repeated more often than needed. */
const LARGE_BATCH = 1000;
const LONG_MS = 1500;

export async function* impactOf(preview: Previewed): AsyncGenerator<ImpactEvent> {
  const begun = Date.now();
  const { devices, fresh, consequences, workMs, settingsOnly } = await reachOf(preview);
  const { changes, records, count } = consequences;
  const of = devices.length + fresh.length;
  yield { event: 'reached', devices: of, changes, records, recordCount: count };
  const groups = new Groups();
  const yieldNow = yielding();
  const tally = { looked: 0, changed: 0, stale: 0 };
  let stopped: string | null = null;
  for (let at = 0; at < of && stopped === null;) {
    const most = at === 0 ? FIRST_BATCH : workMs > LONG_MS ? LARGE_BATCH : BATCH;
    const batch = at < devices.length ? devices.slice(at, at + most) : [];
    const names = batch.length > 0 ? [] : fresh.slice(at - devices.length, at - devices.length + most);
    const pairs = await pairsOf(preview, { ids: batch, names, settingsOnly }, yieldNow);
    const found: { group: number; device: string }[] = [];
    const stale: string[] = [];
    for (const { before, after, editions } of pairs) {
      if (turnsStale(before, after, editions)) stale.push(after?.key ?? '');
      if (alike(before, after)) continue;
      const diff = differenceOf(before, after, (text) => preview.store.sealer.digest(text).toString('base64'));
      await yieldNow();
      if (!diff) continue;
      const { group, fresh: isNew } = groups.put(diff);
      if (isNew) yield { event: 'group', group };
      found.push({ group: group.id, device: (after ?? before)?.key ?? '' });
    }
    at += batch.length + names.length;
    tally.looked = at;
    tally.changed += found.length;
    tally.stale += stale.length;
    yield { event: 'looked', looked: at, of, devices: found, stale };
    if (at < of && Date.now() - begun > preview.seconds * 1000)
      stopped = `${preview.seconds} s were over: ${of - at} of ${of} devices were not looked at`;
    if (preview.signal?.aborted) stopped = 'nobody listens any more';
  }
  yield { event: 'end', of, stopped, milliseconds: Date.now() - begun, ...tally };
}

/** Runs the use case, lets `after` look at what came of it, and takes everything back. */
async function tried<T>(
  { store, actor, action, work }: Previewed,
  before: (tx: Tx) => Promise<void>,
  after: (tx: Tx) => Promise<T>,
): Promise<T> {
  return transact(store, actor, action, async (tx) => {
    await before(tx);
    refuseFaulty(await work(tx));
    tx.discarded = true;
    return after(tx);
  });
}

/** Use cases for many records name their faults in their answer: what they would do is then nothing. */
function refuseFaulty(result: unknown): void {
  const faults = (result as { faults?: unknown[] } | null)?.faults;
  if (Array.isArray(faults) && faults.length > 0)
    throw new Refusal('preview-faulty', { count: faults.length }, [], { faults });
}

interface Reached {
  /** By id, those that are there now or come back under their ids. */
  devices: number[];
  /** By key, those that would be added: their ids are others each time. */
  fresh: string[];
  consequences: Consequences;
  workMs: number;
  /** Nothing is changed but values of settings and templates: all other records stay as they are. */
  settingsOnly: boolean;
}

async function reachOf(preview: Previewed): Promise<Reached> {
  let affected = new AffectedDevices();
  let consequences = new Consequences(preview.kind);
  let began = 0;
  let workMs = 0;
  const order = new Map<number, string>();
  const fresh = await tried(
    preview,
    (tx) => {
      [affected, consequences, began] = [new AffectedDevices(), new Consequences(preview.kind), Date.now()];
      tx.observer = {
        change: (change) => {
          affected.take(change);
          consequences.take(change);
        },
        hint: (kind, id) => kind === 'arrival' && affected.add('arrival', id),
      };
      return Promise.resolve();
    },
    async (tx) => {
      workMs = Date.now() - began;
      for (const { kind, key, detail } of tx.remarks) consequences.tell({ kind, key, what: 'left behind', detail });
      const added = new Set(affected.added);
      await noteOrder(tx, await affected.devices(tx), order);
      for (const id of added) order.delete(id);
      return [...(await keysOf(tx, 'device', added))].filter(([id]) => added.has(id)).map(([, key]) => key);
    },
  );
  await readOnly(preview.store, preview.actor, async (tx) => noteOrder(tx, await affected.devices(tx), order));
  await tellMoved(preview, affected, consequences);
  const devices = [...order].sort(([, a], [, b]) => (a < b ? -1 : 1)).map(([id]) => id);
  const settingsOnly =
    affected.kinds.size > 0 && [...affected.kinds].every((kind) => kind === 'value' || kind === 'template');
  return { devices, fresh: fresh.sort(), consequences, workMs, settingsOnly };
}

async function noteOrder(tx: Tx, ids: Iterable<number>, order: Map<number, string>): Promise<void> {
  const all = [...ids].filter((id) => !order.has(id));
  for (let at = 0; at < all.length; at += 5000) {
    const slice = all.slice(at, at + 5000);
    for (const row of await tx.select<{ id: number; sort_key: string }>(
      'SELECT id, sort_key FROM device WHERE id IN (?)',
      [slice],
    ))
      order.set(Number(row.id), row.sort_key);
  }
}

/** Addresses that would belong to another prefix: their mask is another, and perhaps their gateway. */
async function tellMoved(preview: Previewed, affected: AffectedDevices, consequences: Consequences): Promise<void> {
  if (affected.spans.size === 0) return;
  const homes = async (tx: Tx): Promise<Map<string, string>> => {
    const out = new Map<string, string>();
    for (const { vrf, family, first, last } of affected.blocks())
      for (const row of await tx.select<{ natural_key: string; home: string }>(
        `SELECT a.natural_key, p.natural_key AS home FROM address a JOIN prefix p ON p.id = a.prefix_id
         WHERE a.vrf_id = ? AND a.address_family = ? AND a.address BETWEEN ? AND ? ORDER BY a.address LIMIT ${MOST_MOVED}`,
        [vrf, family, bytesOf(family, first), bytesOf(family, last)],
      ))
        out.set(row.natural_key, row.home);
    return out;
  };
  const before = await readOnly(preview.store, preview.actor, homes);
  const after = await tried(preview, () => Promise.resolve(), homes);
  for (const [key, home] of after) {
    const was = before.get(key);
    if (was !== undefined && was !== home)
      consequences.tell({ kind: 'address', key, what: 'renumbered', detail: `moves from ${was} into ${home}` });
  }
}

const MOST_MOVED = 20_000;

interface Pair {
  before: DeviceState | undefined;
  after: DeviceState | undefined;
  editions: EditionDigests[];
}

/** States before and after, of devices by id and of new ones by key. */
async function pairsOf(
  preview: Previewed,
  { ids, names, settingsOnly }: { ids: number[]; names: string[]; settingsOnly: boolean },
  yieldNow: YieldNow,
): Promise<Pair[]> {
  let before = new Map<number, DeviceState>();
  let editions = new Map<number, EditionDigests[]>();
  let ground: Preloaded | undefined;
  return tried(
    preview,
    async (tx) => {
      ground = await preload(tx, ids);
      before = await statesOf(tx, ground, yieldNow);
      editions = await editionsOf(tx, ids);
    },
    async (tx) => {
      const added = [...(await byKeys(tx, 'device', names)).values()].map((device) => device.id);
      const same = settingsOnly && ground && added.length === 0;
      const then = same && ground ? await newSettings(tx, ground) : await preload(tx, [...ids, ...added]);
      const after = await statesOf(tx, then, yieldNow);
      return [...ids, ...added]
        .filter((id) => before.has(id) || after.has(id))
        .map((id) => ({ before: before.get(id), after: after.get(id), editions: editions.get(id) ?? [] }));
    },
  );
}

/** An edition was made from what the records say now, and would not be any more. */
const turnsStale = (
  before: DeviceState | undefined,
  after: DeviceState | undefined,
  editions: EditionDigests[],
): boolean =>
  before !== undefined &&
  after !== undefined &&
  editions.some((edition) => edition.inputs === before.digest) &&
  before.digest !== after.digest;
