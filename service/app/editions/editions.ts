/** Editions: made from a device's records, shown, published. */
import type { Value } from '@zpine/contract/fields';
import { layerText, type Layer } from '@zpine/core/settings/layers';
import { ownedTwice } from '@zpine/core/config/owned';
import { checkTemplate } from '@zpine/core/template/check';
import { TemplateStop, faultText } from '@zpine/core/template/faults';
import { Refusal } from '@zpine/contract/errors';
import type { EditionHead, ShownEdition } from '@zpine/contract/onboardingShapes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stage } from '@zpine/contract/kinds/devices';
import type { Stored } from '@zpine/contract/kinds';
import { saveSecrets } from '../secrets/known.ts';
import type { Tx } from '../../store/tx.ts';
import { setFields } from '../records/edit.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { byId } from '../../store/records.ts';
import { openWindow } from '../arrivals/window.ts';
import type { DeviceSetting } from '../settings/effective.ts';
import { contextIn, contextOf, deviceRecords, type DeviceContext } from './context.ts';
import { partsOf } from './fileDiff.ts';
import {
  digestOfFiles,
  digestOfInputs,
  type Files,
  type Inputs,
  inputsWith,
  renderInputs,
  maskedFiles,
  writeInputs,
} from './content.ts';
import {
  filesOf,
  frozenInputs,
  lastEditions,
  mustFindEdition,
  shownParts,
  type EditionRow,
  type ShownParts,
} from './rows.ts';
import {
  faultsOf,
  fragmentsOf,
  insertedBy,
  settingsCatalogue,
  presentFault,
  templateAmong,
  wholeTemplates,
} from './templates.ts';
import { lockoutFaults } from './lockout.ts';

/** What a text for the device is made from, as its records are now. */
export async function inputsOf(
  tx: Tx,
  device: Stored<'device'>,
): Promise<{ context: DeviceContext; inputs: Inputs; template: Stored<'template'> }> {
  const context = await contextOf(tx, device);
  return { context, ...inputsFrom(context, await wholeTemplates(tx), await fragmentsOf(tx)) };
}

function inputsFrom(
  { device, dialectId, data, secrets }: DeviceContext,
  templates: Parameters<typeof templateAmong>[0],
  known: Parameters<typeof insertedBy>[1],
): { inputs: Inputs; template: Stored<'template'> } {
  const template = templateAmong(templates, device, dialectId);
  const fragments = insertedBy(template, known);
  return { template, inputs: inputsWith(template, fragments, { data, secrets }) };
}

export async function makeEdition(
  tx: Tx,
  ref: string,
  { apply }: BodyOf<'edition.make'>,
): Promise<ReplyOf<'edition.make'>> {
  if (!apply) tx.discarded = true;
  const { device, context, inputs, files } = await renderedUnheld(tx, ref);
  const digest = digestOfFiles(tx.sealer, files, inputs.places);
  const text = writeInputs(inputs);
  const [last] = await lastEditions(tx, device.id, 1);
  const inputs_digest = tx.sealer.fingerprint(text);
  if (last?.digest === digest) {
    // The same text from other inputs: it is up to date again.
    if (last.inputs_digest !== inputs_digest) {
      await tx.execute('UPDATE edition SET inputs_digest = ?, inputs = ? WHERE id = ?', [
        inputs_digest,
        tx.sealer.seal(text),
        last.id,
      ]);
    }
    const same = presentEdition(headOf(device, last, false), await shownParts(tx, last.id));
    return { ...same, fresh: false, changes: apply ? null : [] };
  }
  const number = (last?.number ?? 0) + 1;
  const parts: ShownParts = { files: maskedFiles(files), wayBack: lockoutFaults(context, files) };
  const made_at = await tx.now();
  const row = {
    device_id: device.id,
    number,
    digest,
    inputs_digest,
    template: inputs.template,
    made_by: tx.actor.name,
    reason: tx.actor.reason ?? null,
  };
  const [id = 0] = await tx.insertRows('edition', [
    {
      ...row,
      made_at,
      shown: JSON.stringify(parts),
      content: tx.sealer.seal(JSON.stringify(files)),
      inputs: tx.sealer.seal(text),
      places: inputs.places ? JSON.stringify(inputs.places) : null,
    },
  ]);
  const secrets = files.flatMap((file) => file.secrets.map(([from, to]) => file.text.slice(from, to)));
  await saveSecrets(tx, { kind: 'device', id: device.id }, secrets);
  await noteChange(tx, device, id, number, null, {
    number,
    digest,
    template: inputs.template,
    published: false,
  });
  const published = { published_at: null, published_by: null, insisted: null, current: false, newest: true };
  const head = headOf(device, { ...row, ...published, id, made_at: made_at.date }, false);
  const before = apply || !last ? [] : await filesOf(tx, last.id);
  return { ...presentEdition(head, parts), fresh: true, changes: apply ? null : partsOf(before, files) };
}

/** So often the records of a device may change while its text is made. */
const MOST_TURNS = 5;

/**
 * The text of a device, made before anything is held: however long a template takes, nobody waits for it. Held then, the
 * device has to be the one that was read.
 */
async function renderedUnheld(
  tx: Tx,
  ref: string,
): Promise<{ device: Stored<'device'>; context: DeviceContext; inputs: Inputs; files: Files }> {
  for (let turn = 1; ; turn += 1) {
    const read = await mustFind(tx, 'device', ref);
    if (!read.provisioned) throw new Refusal('not-provisioned', { device: read.key });
    const { context, inputs, template } = await inputsOf(tx, read);
    const faults = await faultsOf(tx, template);
    if (faults[0]) {
      const params = { template: template.key, count: faults.length, first: faultText(faults[0]) };
      throw new Refusal('template-faulty', params, [], { faults: faults.map(presentFault) });
    }
    const files = rendered(tx, inputs, read);
    mustHaveOneOwner(context, files, template.key);
    const device = await byId(tx, 'device', read.id, true);
    if (device.version === read.version) return { device, context, inputs, files };
    if (turn === MOST_TURNS) throw new Refusal('busy');
  }
}

/** Comparing and pushing go by who owns a line: no two parts do. */
function mustHaveOneOwner({ device, described }: DeviceContext, files: Files, template: string): void {
  for (const file of files.filter(({ name }) => name === '')) {
    const [twice] = described ? ownedTwice(file, described) : [];
    if (twice) throw new Refusal('parts-own-twice', { device: device.key, template, ...twice });
  }
}

function rendered(tx: Tx, inputs: Inputs, device: Stored<'device'>): Files {
  try {
    return renderInputs(inputs, tx.sealer, String(device.id));
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    throw new Refusal('render-stopped', { device: device.key, first: faultText(error.fault) }, [], {
      faults: [presentFault(error.fault)],
    });
  }
}

const noteChange = (
  tx: Tx,
  device: Stored<'device'>,
  id: number,
  number: number,
  before: Record<string, Value> | null,
  after: Record<string, Value>,
): Promise<void> =>
  tx.change({
    kind: 'edition',
    id,
    key: `${device.key} edition ${number}`,
    versionFrom: before ? 1 : null,
    versionTo: before ? 2 : 1,
    before,
    after,
  });

/** What the records of a device make of it now; null where nothing can be rendered, which counts as changed. */
async function digestNow(tx: Tx, device: Stored<'device'>): Promise<string | null> {
  try {
    return digestOfInputs(tx.sealer, (await inputsOf(tx, device)).inputs);
  } catch (error) {
    if (error instanceof Refusal) return null;
    throw error;
  }
}

/** Those whose published edition was made from inputs that have changed since. */
export async function staleAmong(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  published: ReadonlyMap<number, { inputs_digest: string }>,
): Promise<Set<number>> {
  const out = new Set<number>();
  if (devices.length === 0) return out;
  const known = await deviceRecords(tx, [...devices]);
  const [templates, fragments] = [await wholeTemplates(tx), await fragmentsOf(tx)];
  for (const device of devices) {
    try {
      const { inputs } = inputsFrom(contextIn(tx, known, device), templates, fragments);
      if (published.get(device.id)?.inputs_digest !== digestOfInputs(tx.sealer, inputs)) out.add(device.id);
    } catch (error) {
      // Nothing can be rendered now, which counts as changed.
      if (!(error instanceof Refusal)) throw error;
      out.add(device.id);
    }
  }
  return out;
}

const headOf = (device: Stored<'device'>, row: EditionRow, stale: boolean): EditionHead => ({
  device: device.key,
  number: row.number,
  digest: row.digest,
  template: row.template,
  madeAt: row.made_at.toISOString(),
  madeBy: row.made_by,
  reason: row.reason,
  publishedAt: row.published_at?.toISOString() ?? null,
  publishedBy: row.published_by,
  insisted: row.insisted,
  current: row.current,
  stale,
});

/** Only the newest and the published one are asked: the others are past in any case. */
const isPast = (row: EditionRow): boolean => !row.newest && !row.current;

const presentEdition = (head: EditionHead, { files, wayBack }: ShownParts, traces?: Traces): ShownEdition => ({
  ...head,
  files: files.map((file) => ({ ...file, ...(traces ? { trace: traces.get(file.name) ?? [] } : {}) })),
  wayBack,
});

const MOST = 200;

export async function listEditions(tx: Tx, ref: string): Promise<{ items: EditionHead[]; next: null }> {
  const device = await mustFind(tx, 'device', ref);
  const rows = await lastEditions(tx, device.id, MOST);
  const now = rows.length > 0 ? await digestNow(tx, device) : null;
  return { items: rows.map((row) => headOf(device, row, isPast(row) || row.inputs_digest !== now)), next: null };
}

export async function showEdition(tx: Tx, ref: string, number: string, trace: boolean): Promise<ShownEdition> {
  const device = await mustFind(tx, 'device', ref);
  const row = await mustFindEdition(tx, device, number);
  const stale = isPast(row) || row.inputs_digest !== (await digestNow(tx, device));
  const traces = trace ? await tracesOf(tx, device, row) : undefined;
  return presentEdition(headOf(device, row, stale), await shownParts(tx, row.id), traces);
}

/** What a text that is not saved would make of a device. */
export async function tryTemplate(tx: Tx, input: BodyOf<'template.try'>): Promise<ReplyOf<'template.try'>> {
  const fragments = await fragmentsOf(tx);
  const name = input.template.toLowerCase();
  const faults = checkTemplate(name, input.source, (wanted) => fragments.get(wanted), await settingsCatalogue(tx));
  if (faults.length > 0 || input.device === undefined) return { faults: faults.map(presentFault), files: null };
  const device = await mustFindField(tx, 'device', input.device, 'device');
  const context = await contextOf(tx, device);
  const inputs: Inputs = {
    template: name,
    source: input.source,
    fragments: Object.fromEntries(fragments),
    data: context.data,
    secrets: context.secrets,
  };
  try {
    const files = renderInputs(inputs, tx.sealer, String(device.id), true);
    const traces = presentTraces(files, context);
    return { faults: [], files: maskedFiles(files).map((file) => ({ ...file, trace: traces.get(file.name) ?? [] })) };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    return { faults: [presentFault(error.fault)], files: null };
  }
}

type Traces = Map<string, NonNullable<ShownEdition['files'][number]['trace']>>;

/** By rendering again from the frozen inputs. */
async function tracesOf(tx: Tx, device: Stored<'device'>, row: EditionRow): Promise<Traces> {
  const inputs = await frozenInputs(tx, row.id);
  if (!inputs) return new Map();
  const files = renderInputs(inputs, tx.sealer, String(row.device_id), true);
  return presentTraces(files, await contextOf(tx, device));
}

function presentTraces(files: Files, { settings }: DeviceContext): Traces {
  return new Map(
    files.map((file) => [
      file.name,
      (file.trace ?? []).map((line) => ({
        ...line,
        settings: line.settings.flatMap((path) => {
          // A path may go on inside the value of a setting.
          const name = [...settings.keys()].find((n) => path === n || path.startsWith(`${n}.`));
          const held = name === undefined ? undefined : settings.get(name);
          return name === undefined || !held ? [] : layersBehind(held, line.loops).map((origin) => ({ name, origin }));
        }),
      })),
    ]),
  );
}

/** The layer of the very item that a loop stands at, or all layers that the value is put together from. */
function layersBehind(held: DeviceSetting, loops: { value: string }[]): (Layer | null)[] {
  const { value, origin, origins } = held;
  if (Array.isArray(value)) {
    const at = value.findIndex((item) => loops.some((loop) => loop.value === String(item)));
    const own = origins[String(at)];
    if (own) return [own];
  }
  const layers = new Map([...(origin ? [origin] : []), ...Object.values(origins)].map((l) => [layerText(l), l]));
  return layers.size > 0 ? [...layers.values()] : [null];
}

/** Stages from which publishing an edition prepares a device. */
const preparing: Stage[] = ['sketched', 'faulty'];

export async function publishEdition(
  tx: Tx,
  ref: string,
  number: string,
  input: BodyOf<'edition.publish'>,
): Promise<EditionHead> {
  const device = await mustFind(tx, 'device', ref, true);
  const row = await mustFindEdition(tx, device, number);
  const { context, inputs } = await inputsOrStale(tx, device, row);
  const stale = digestOfInputs(tx.sealer, inputs) !== row.inputs_digest;
  if (stale && row.newest) throw new Refusal('edition-stale', { device: device.key, number: row.number });
  const faults = lockoutFaults(context, await filesOf(tx, row.id));
  const words = faults.map((fault) => fault.detail).join('; ');
  if (faults.length > 0 && !input.insist)
    throw new Refusal('way-back', { device: device.key, why: words }, [], { wayBack: faults });
  if (faults.length > 0 && !tx.actor.reason) throw new Refusal('insist-reason');
  const now = await tx.now();
  const insisted = faults.length > 0 ? `${tx.actor.reason}: ${words}`.slice(0, 1000) : null;
  await tx.execute('UPDATE edition SET published_at = ?, published_by = ?, insisted = ? WHERE id = ?', [
    now,
    tx.actor.name,
    insisted,
    row.id,
  ]);
  await noteChange(
    tx,
    device,
    row.id,
    row.number,
    { number: row.number, published: row.published_at !== null },
    { number: row.number, published: true, ...(faults.length > 0 ? { insisted: words.slice(0, 1000) } : {}) },
  );
  // What the device ran when it was captured last differs from this one at once.
  tx.job({ name: 'recompare', payload: { device: device.id }, delaySeconds: 0, single: `recompare ${device.id}` });
  if (preparing.includes(device.stage as Stage)) await setFields(tx, 'device', device.id, { stage: 'prepared' });
  if (input.openHours !== undefined)
    await openWindow(tx, await mustFind(tx, 'device', `#${device.id}`), input.openHours);
  const published = { published_at: now.date, published_by: tx.actor.name, insisted, current: true };
  return headOf(device, { ...row, ...published }, stale);
}

/** Where nothing can be made of the records now, the newest edition is not what they say. */
async function inputsOrStale(tx: Tx, device: Stored<'device'>, row: EditionRow): ReturnType<typeof inputsOf> {
  try {
    return await inputsOf(tx, device);
  } catch (error) {
    if (!(error instanceof Refusal) || !row.newest) throw error;
    throw new Refusal('edition-stale', { device: device.key, number: row.number });
  }
}
