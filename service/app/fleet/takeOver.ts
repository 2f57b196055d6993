/**
 * Drift taken over: what a device runs otherwise becomes the description. Each difference that can be read back into settings,
 * interfaces or VLANs is tried first, in a unit of work that is taken back: it counts only if the difference is gone then, and
 * no other has come.
 */
import { compareConfig, differencePath, type Difference } from '@zpine/core/config/compare';
import { meantBy, type Meant } from '@zpine/core/config/takeOver';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { parseTemplate } from '@zpine/core/template/parse';
import type { SettingValue } from '@zpine/core/settings/layers';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { sha256Hex } from '../../store/digests.ts';
import { byId, find } from '../../store/records.ts';
import { probe } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { offTheWireAny, renderInputs, type Files } from '../editions/content.ts';
import { contextOf } from '../editions/context.ts';
import { inputsOf } from '../editions/editions.ts';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';
import { putValue } from '../settings/values.ts';
import { agreeFor, hiddenDifferences, hider } from './compared.ts';
import { capturedTexts } from './captures.ts';
import { targetsOf } from './targets.ts';
import type { Target } from './access.ts';

type Shown = ReplyOf<'drift.means'>['items'][number];

/** A device as it was captured last, beside what its records make of it now. */
interface Look {
  device: Stored<'device'>;
  target: Target;
  dialect: Dialect;
  running: string;
  files: Files;
  differences: Difference[];
  meant: Map<number, Meant[]>;
}

/** So many are tried. */
const MOST_TRIED = 60;

/** Stays the same for a difference, whatever others there are. */
const idOf = (one: Difference): string =>
  sha256Hex(JSON.stringify([one.kind, one.above, one.line, one.instead])).slice(0, 12);

export async function meaningOfDrift(tx: Tx, ref: string): Promise<ReplyOf<'drift.means'>> {
  const look = await lookAt(tx, ref);
  const items: Shown[] = [];
  const hide = hider(look.target, look.dialect, look.files, [look.running]);
  const shown = hiddenDifferences(look.differences, hide);
  for (const [i, difference] of look.differences.entries()) {
    const meant = look.meant.get(i) ?? [];
    const why =
      items.length < MOST_TRIED ? await tried(tx, look, [difference], meant) : 'there are too many to try them all';
    items.push({
      id: idOf(difference),
      difference: shown[i] ?? difference,
      means: meant.map((one) => hide([wordsOf(one, look.device)])[0] ?? ''),
      why: meant.length === 0 ? 'no line of the template tells which record would make it' : why,
    });
  }
  return { items };
}

export async function takeOver(
  tx: Tx,
  ref: string,
  body: BodyOf<'drift.takeOver'>,
): Promise<ReplyOf<'drift.takeOver'>> {
  const look = await lookAt(tx, ref);
  const chosen = look.differences.flatMap((difference, i) =>
    body.take.includes(idOf(difference)) ? [{ difference, meant: look.meant.get(i) ?? [] }] : [],
  );
  const lost = body.take.find((id) => !chosen.some(({ difference }) => idOf(difference) === id));
  if (lost !== undefined) throw Refusal.at(['take'], 'take-over-gone', { id: lost, device: look.device.key });
  const mute = chosen.find(({ meant }) => meant.length === 0);
  if (mute) throw Refusal.at(['take'], 'take-over-unread', { line: differencePath(mute.difference) });
  for (const { meant } of chosen) for (const one of meant) await write(tx, look.device, one);
  const why = await left(
    tx,
    look,
    chosen.map(({ difference }) => difference),
  );
  if (why !== undefined) throw Refusal.at(['take'], 'take-over-fails', { device: look.device.key, why });
  const hide = hider(look.target, look.dialect, look.files, [look.running]);
  return { taken: hide(chosen.flatMap(({ meant }) => meant.map((one) => wordsOf(one, look.device)))) };
}

async function lookAt(tx: Tx, ref: string): Promise<Look> {
  const device = await mustFind(tx, 'device', ref);
  const texts = await capturedTexts(tx, device.id);
  if (!texts) throw new Refusal('take-over-uncaptured', { device: device.key });
  const target = (await targetsOf(tx, [device])).get(device.id);
  if (!target?.dialect)
    throw new Refusal('errand-unknown-dialect', {
      device: device.key,
      why: 'its records name no dialect that is known',
    });
  const { files, template, fragments } = await rendered(tx, device);
  const { dialect } = target;
  const differences = differencesOf(target, dialect, files, texts.running);
  const parsed = (name: string, source: string) => parseTemplate(name, source).template;
  const meant = meantBy(differences, {
    main: parsed(template.key, template.source),
    fragments: new Map(Object.entries(fragments).map(([name, source]) => [name, parsed(name, source)])),
  });
  return { device, target, dialect, running: texts.running, files, differences, meant };
}

async function rendered(tx: Tx, device: Stored<'device'>) {
  const { inputs, template } = await inputsOf(tx, device);
  return { files: renderInputs(inputs, tx.sealer, String(device.id)), template, fragments: inputs.fragments };
}

function differencesOf(target: Target, dialect: Dialect, files: Files, running: string): Difference[] {
  const main = files.find((file) => file.name === '') ?? { text: '', parts: [] };
  return compareConfig(main, offTheWireAny(running, main.text), dialect, agreeFor(target)).differences;
}

/** Why it cannot be taken over; undefined where it can. */
async function tried(
  tx: Tx,
  look: Look,
  differences: Difference[],
  meant: readonly Meant[],
): Promise<string | undefined> {
  if (meant.length === 0) return undefined;
  try {
    return await probe(tx, async (own) => {
      for (const one of meant) await write(own, look.device, one);
      return left(own, look, differences);
    });
  } catch (error) {
    if (error instanceof Refusal) return problemOf(error).detail;
    throw error;
  }
}

/** What the records make of the device now, against what it runs: why it is not as wanted. */
async function left(tx: Tx, look: Look, gone: readonly Difference[]): Promise<string | undefined> {
  const device = await byId(tx, 'device', look.device.id);
  const { files } = await rendered(tx, device);
  const now = differencesOf(look.target, look.dialect, files, look.running);
  const before = new Set(look.differences.map(idOf));
  const stays = now.find((one) => gone.some((other) => idOf(other) === idOf(one)));
  if (stays) return `with it, "${differencePath(stays)}" would still differ`;
  const fresh = now.find((one) => !before.has(idOf(one)));
  return fresh && `with it, "${differencePath(fresh)}" would differ`;
}

function wordsOf(meant: Meant, device: Stored<'device'>): string {
  if (meant.of === 'setting') {
    const how = { set: `is ${meant.value}`, add: `gets ${meant.value}`, 'take away': `loses ${meant.value}` }[
      meant.how
    ];
    return `setting ${meant.name} of ${device.key} ${how}`;
  }
  if (meant.of === 'vlan')
    return `VLAN ${meant.number} of its site${meant.title === null ? '' : ` is "${meant.title}"`}`;
  const value = Array.isArray(meant.value) ? meant.value.join(', ') : String(meant.value ?? 'empty');
  return `interface ${meant.name} of ${device.key}: ${meant.field} is ${value}`;
}

async function write(tx: Tx, device: Stored<'device'>, meant: Meant): Promise<void> {
  if (meant.of === 'setting') return writeSetting(tx, device, meant);
  if (meant.of === 'vlan') {
    const site = device.site;
    if (site === null) throw new Refusal('take-over-no-site', { device: device.key });
    const [vlan] = await find(tx, 'vlan', { site_id: site, number: meant.number });
    if (vlan) await editOne(tx, 'vlan', `#${vlan.id}`, { title: meant.title });
    else await addOne(tx, 'vlan', { site: `#${site}`, number: meant.number, title: meant.title });
    return;
  }
  const context = await contextOf(tx, device);
  const id = [...context.interfaces].find(([, name]) => name === meant.name)?.[0];
  if (id === undefined) throw new Refusal('not-found', { kind: 'interface', ref: `${device.key}:${meant.name}` });
  const value = Array.isArray(meant.value) ? meant.value.join(', ') : meant.value;
  await editOne(tx, 'interface', `#${id}`, { [meant.field]: value });
}

async function writeSetting(
  tx: Tx,
  device: Stored<'device'>,
  { name, how, value }: Extract<Meant, { of: 'setting' }>,
): Promise<void> {
  const held = (await contextOf(tx, device)).settings.get(name);
  if (!held) throw new Refusal('not-found', { kind: 'setting', ref: name });
  const put = async (next: SettingValue) => {
    await putValue(tx, { setting: name, layer: 'device', of: device.key, mode: 'set', value: next });
  };
  if (how === 'set') return put(held.setting.valueType === 'int' ? Number(value) : value);
  const list = Array.isArray(held.value) ? held.value : [];
  return put(how === 'add' ? [...list, value] : list.filter((one) => String(one) !== value));
}
