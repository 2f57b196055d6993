/** Restores: what was captured of devices is put back, previewed and confirmed as errands are. */
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { wholeCaptures, type WholeCapture } from './captures.ts';
import { mustKnowHow, type SealedFile } from './errands.ts';
import { makeRun } from './runs.ts';
import { targetsOf } from './targets.ts';

/** What a restore keeps of a device under seal. */
export interface RestoreSeal {
  /** The configuration that it is brought to; null where only files are put back. */
  text: string | null;
  /** Of which capture: `running #12, captured 2026-11-28 09:10`. */
  of: string;
  /** Put in as a whole, with a restart. */
  whole: boolean;
  /** Without content: it was not there. */
  files: { file: string; base64: string | null; of: string }[];
  secrets: string[];
  /** What ran before and after, for the way back. */
  before?: string;
  after?: string;
  filesBefore?: SealedFile[];
}

/** Those that an edition brought: they are put by their paths. */
export const pathFiles = ({ files }: RestoreSeal): RestoreSeal['files'] =>
  files.filter(({ file }) => file.startsWith('/'));

const CONFIGURATIONS = ['running', 'stored'];

export async function restore(tx: Tx, body: BodyOf<'run.restore'>): Promise<RunHead> {
  if (body.insist && !tx.actor.reason) throw new Refusal('insist-reason');
  const captures = await wholeCaptures(tx, body.captures);
  const missing = body.captures.find((id) => !captures.some((one) => one.id === id));
  if (missing !== undefined) throw Refusal.at(['captures'], 'not-found', { kind: 'capture', ref: `#${missing}` });
  const found = await byIds(tx, 'device', captures, 'device_id');
  const devices = [...found.values()];
  await mustKnowHow(tx, devices, undefined, true);
  const seals = sealsOf(devices, captures, body.whole);
  await mustTake(tx, devices, captures, seals);
  return makeRun(tx, {
    kind: 'restore',
    title:
      body.captures.length === 1
        ? `Restore ${captures[0]?.file ?? ''} #${captures[0]?.id ?? ''}`
        : `Restore ${captures.length} captures`,
    input: { asks: [], expect: [], keep: body.keep, confirmed: false, insist: body.insist },
    selected: {
      devices,
      words: devices.length === 1 ? (devices[0]?.key ?? '') : `${devices.length} devices by their captures`,
    },
    sealed: new Map([...seals].map(([id, seal]) => [id, JSON.stringify(seal)])),
  });
}

const wordsOf = ({ file, id, first_at }: WholeCapture): string =>
  `${file} #${id}, captured ${first_at.toISOString().slice(0, 16).replace('T', ' ')}`;

function sealsOf(
  devices: readonly Stored<'device'>[],
  captures: readonly WholeCapture[],
  whole: boolean,
): Map<number, RestoreSeal> {
  const out = new Map<number, RestoreSeal>();
  for (const device of devices) {
    const own = captures.filter((one) => Number(one.device_id) === device.id);
    const [text, second] = own.filter(({ file }) => CONFIGURATIONS.includes(file));
    if (text && second)
      throw Refusal.at(['captures'], 'restore-twice', { first: text.id, second: second.id, device: device.key });
    out.set(device.id, {
      text: text ? text.content.toString('utf8') : null,
      of: text ? wordsOf(text) : '',
      whole: whole && text !== undefined,
      files: own
        .filter(({ file }) => !CONFIGURATIONS.includes(file))
        .map((one) => ({ file: one.file, base64: one.gone ? null : one.content.toString('base64'), of: wordsOf(one) })),
      secrets: [],
    });
  }
  return out;
}

/** What the sheets do not know how to put back is found before any device is reached. */
async function mustTake(
  tx: Tx,
  devices: Stored<'device'>[],
  captures: readonly WholeCapture[],
  seals: ReadonlyMap<number, RestoreSeal>,
): Promise<void> {
  const targets = await targetsOf(tx, devices);
  for (const { key, id } of devices) {
    const sheet = targets.get(id)?.dialect?.sheet;
    const seal = seals.get(id);
    if (seal?.whole && (!sheet?.whole || !sheet.restart))
      throw new Refusal('restore-whole', { dialect: sheet?.title ?? key });
    for (const { file } of seal?.files ?? [])
      if (file.startsWith('/') ? !sheet?.filing : sheet?.files[file]?.put === undefined)
        throw Refusal.at(['captures'], 'restore-nothing', {
          id: captures.find((one) => one.file === file && Number(one.device_id) === id)?.id ?? 0,
          file,
          device: key,
        });
  }
}
