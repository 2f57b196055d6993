/** Devices as they stand at one moment: what their configuration is made from, and what they would be told when they boot. */
import { usualClass } from '@zpine/core/dhcp/profiles';
import { bootProfiles } from '../boot/profiles.ts';
import { decide } from '@zpine/core/dhcp/decide';
import { Refusal, problemOf } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { bootsNowhere, discoverOf, usualRelay } from '../boot/explain.ts';
import { memoryForDevices } from '../boot/gather.ts';
import { digestOfInputs, inputsWith, type Inputs } from '../editions/content.ts';
import { contextIn, deviceRecords, withSettings, type DeviceContext, type DeviceRecords } from '../editions/context.ts';
import { fragmentsOf, insertedBy, templateAmong, wholeTemplates } from '../editions/templates.ts';
import { dialectIn } from '../settings/layers.ts';
import type { YieldNow } from './yielding.ts';
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
  id: number;
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
      inputs = inputsWith(template, own, context);
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
  const rows = await tx.select<{
    id: number;
    device_id: number;
    number: number;
    inputs_digest: string;
    published_at: Date | null;
  }>(
    `SELECT e.id, e.device_id, e.number, e.inputs_digest, e.published_at FROM edition e WHERE e.device_id IN (?)
     AND (e.published_at IS NOT NULL OR e.number = (SELECT MAX(n.number) FROM edition n WHERE n.device_id = e.device_id))
     ORDER BY e.device_id, e.published_at, e.number`,
    [ids],
  );
  for (const row of rows) {
    const id = Number(row.device_id);
    const held = out.get(id) ?? [];
    const one = {
      id: Number(row.id),
      number: row.number,
      inputs: row.inputs_digest,
      published: row.published_at !== null,
    };
    // Of those that were published, the last one counts.
    out.set(id, one.published ? [...held.filter((other) => !other.published), one] : [...held, one]);
  }
  return out;
}

/** What each would be told now, in the order of the options: the decision about a real packet, with nothing taken. */
async function bootLines(tx: Tx, contexts: Map<number, DeviceContext>): Promise<Map<number, string[]>> {
  const profiles = await bootProfiles(tx);
  const discovers = new Map(
    [...contexts].flatMap(([id, { device, box, addresses, prefixes, described, dialectId }]) => {
      const usual = usualRelay(device, addresses, (prefix) => prefixes.get(prefix));
      const relay = usual === tx.place.address ? null : usual;
      const of = { dialect: dialectId, model: device.model, duty: device.duty };
      const message = box && discoverOf(box, relay, usualClass(profiles, of, described?.sheet));
      return message ? [[id, { usual, relay, message }] as const] : [];
    }),
  );
  const devices = [...contexts.values()].map(({ device }) => device);
  const relays = [...new Set([...discovers.values()].flatMap(({ relay }) => relay ?? []))];
  const look = await memoryForDevices(tx, devices, relays);
  const now = tx.aboutNow().ms;
  return new Map(
    [...discovers].map(([id, { usual, relay, message }]) => {
      const site = look.fact(id)?.layers.find(({ kind }) => kind === 'site')?.id;
      const nowhere = bootsNowhere(look, usual, site);
      if (nowhere !== undefined) return [id, [`no answer: ${nowhere}`]];
      const heard = { source: relay ?? look.server, broadcast: relay === null };
      const { told, noFile, offer, detail, device } = decide(look, message, heard, now);
      if (!told || device?.id !== id) return [id, [`no answer: ${detail}`]];
      return [
        id,
        [
          offer?.source === 'pool' ? `address of the ${offer.from}` : `address ${told.address}`,
          `lease ${told.leaseSeconds} s`,
          told.file ? `file ${told.file.name} from ${told.file.server}` : `no file: ${noFile ?? ''}`,
          ...told.options.map(({ code, value }) => formatOption(code, value)),
        ],
      ];
    }),
  );
}
