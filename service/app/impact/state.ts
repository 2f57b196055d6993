/** Devices as they stand at one moment: what their configuration is made from, and what they would be told when they boot. */
import { Refusal, problemOf } from '@zpine/contract/errors';
import { type Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { mainAddress } from '../addressing/management.ts';
import { linkOf } from '../boot/identify.ts';
import { isDeclaredRelay } from '../boot/relays.ts';
import { type LeaseOffer } from '../boot/leases.ts';
import { bootAnswer } from '../boot/tell.ts';
import { digestOfInputs, type Inputs } from '../editions/content.ts';
import { contextIn, deviceRecords, withSettings, type DeviceContext, type DeviceRecords } from '../editions/context.ts';
import { fragmentsOf, insertedBy, templateAmong, wholeTemplates } from '../editions/templates.ts';
import { dialectIn } from '../settings/layers.ts';
import { type YieldNow } from './yielding.ts';
import { formatOption } from './words.ts';

export interface DeviceState {
  key: string;
  context: DeviceContext;
  /** Null where it has no template: `why` says so. */
  inputs: Inputs | null;
  why: string | null;
  digest: string;
  boot: string[];
}

export interface EditionDigests {
  number: number;
  inputs: string;
  published: boolean;
}

/** The records that states are made from. */
export interface Preloaded {
  devices: Stored<'device'>[];
  known: DeviceRecords;
}

export async function preload(tx: Tx, ids: number[]): Promise<Preloaded> {
  const devices = [...(await byIds(tx, 'device', ids)).values()].filter((device) => device.provisioned);
  return { devices, known: await deviceRecords(tx, devices) };
}

/** The same where nothing was changed but what settings say. */
export const newSettings = async (tx: Tx, { devices, known }: Preloaded): Promise<Preloaded> => ({
  devices,
  known: await withSettings(tx, devices, known),
});

/** The states of those devices that are there and are provisioned by us. */
export async function statesOf(
  tx: Tx,
  { devices, known }: Preloaded,
  yieldNow: YieldNow,
): Promise<Map<number, DeviceState>> {
  const { places } = known;
  const contexts = new Map<number, DeviceContext>();
  for (const device of devices) {
    contexts.set(device.id, contextIn(tx, known, device));
    await yieldNow();
  }
  const templates = await wholeTemplates(tx);
  const fragments = await fragmentsOf(tx);
  const inserted = new Map<number, Record<string, string>>();
  const boot = await bootLines(tx, contexts);
  const out = new Map<number, DeviceState>();
  for (const [id, context] of contexts) {
    let inputs: Inputs | null = null;
    let why: string | null = null;
    try {
      const template = templateAmong(templates, context.device, dialectIn(places, context.device));
      const own = inserted.get(template.id) ?? insertedBy(template, fragments);
      inserted.set(template.id, own);
      const { data, secrets } = context;
      inputs = { template: template.key, source: template.source, fragments: own, data, secrets };
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      why = problemOf(error).detail;
    }
    const digest = inputs ? digestOfInputs(tx.sealer, inputs) : '';
    out.set(id, { key: context.device.key, context, inputs, why, digest, boot: boot.get(id) ?? [] });
    await yieldNow();
  }
  return out;
}

/** The newest edition of each device, and the one it is given. */
export async function editionsOf(tx: Tx, ids: number[]): Promise<Map<number, EditionDigests[]>> {
  const out = new Map<number, EditionDigests[]>();
  if (ids.length === 0) return out;
  const rows = await tx.select<{ device_id: number; number: number; inputs_digest: string; published_at: Date | null }>(
    `SELECT e.device_id, e.number, e.inputs_digest, e.published_at FROM edition e WHERE e.device_id IN (?)
     AND (e.published_at IS NOT NULL OR e.number = (SELECT MAX(n.number) FROM edition n WHERE n.device_id = e.device_id))
     ORDER BY e.device_id, e.published_at, e.number`,
    [ids],
  );
  for (const row of rows) {
    const id = Number(row.device_id);
    const held = out.get(id) ?? [];
    const one = { number: row.number, inputs: row.inputs_digest, published: row.published_at !== null };
    // Of those that were published, the last one counts.
    out.set(id, one.published ? [...held.filter((other) => !other.published), one] : [...held, one]);
  }
  return out;
}

/** What each would be told now, in the order of the options: the decisions of a real answer, with nothing taken. */
async function bootLines(tx: Tx, contexts: Map<number, DeviceContext>): Promise<Map<number, string[]>> {
  const ids = [...contexts.keys()];
  const published = new Map<number, number>();
  for (const [id, editions] of await editionsOf(tx, ids))
    for (const edition of editions) if (edition.published) published.set(id, edition.number);
  const open = new Set(await openWindows(tx, ids));
  const links = new Map<string, { link: Stored<'prefix'> | undefined; declared: boolean }>();
  const out = new Map<number, string[]>();
  for (const [id, context] of contexts) {
    const { device, box, addresses, prefixes } = context;
    if (!box) continue;
    const management = mainAddress(addresses.filter((a) => a.interface === device.management));
    const relay = (management && prefixes.get(management.prefix)?.gateway) ?? null;
    const known = links.get(relay ?? '') ?? (await linkBehind(tx, relay));
    links.set(relay ?? '', known);
    const { link, declared } = known;
    if (!link || !declared) {
      out.set(id, [
        link ? `no answer: relay ${relay ?? ''} is not declared` : 'no answer: it boots in no known prefix',
      ]);
      continue;
    }
    const place = placeIn(context, link);
    if (!place) {
      out.set(id, [`no answer: there is no address for it in ${link.key}`]);
      continue;
    }
    const { told, noFile } = bootAnswer(tx.place.address, device, link, place, {
      settings: context.settings,
      dialectName: context.dialect,
      sheet: context.described?.sheet,
      edition: published.get(id) ?? null,
      open: open.has(id),
    });
    out.set(id, [
      `address ${told.address}`,
      `lease ${told.leaseSeconds} s`,
      told.file ? `file ${told.file.name} from ${told.file.server}` : `no file: ${noFile ?? ''}`,
      ...told.options.map(({ code, value }) => formatOption(code, value)),
    ]);
  }
  return out;
}

async function openWindows(tx: Tx, ids: number[]): Promise<number[]> {
  if (ids.length === 0) return [];
  const rows = await tx.select<{ device_id: number }>(
    'SELECT DISTINCT device_id FROM arrival WHERE device_id IN (?) AND ended_at IS NULL AND closes_at > ?',
    [ids, tx.aboutNow()],
  );
  return rows.map((row) => Number(row.device_id));
}

async function linkBehind(
  tx: Tx,
  relay: string | null,
): Promise<{ link: Stored<'prefix'> | undefined; declared: boolean }> {
  const link = await linkOf(tx, relay);
  return { link, declared: link !== undefined && (relay === null || (await isDeclaredRelay(tx, link, relay))) };
}

/** Its own address there, or one of the pool: which one is not decided before it asks. */
function placeIn({ device, addresses }: DeviceContext, link: Stored<'prefix'>): LeaseOffer | undefined {
  const own = addresses.filter((a) => !a.shared && a.prefix === link.id);
  const best = own.find((a) => a.interface === device.management) ?? own[0];
  if (best) return { address: best.address, source: 'fixed', from: device.key };
  return link.pool === null ? undefined : { address: `of the pool of ${link.key}`, source: 'pool', from: link.key };
}
