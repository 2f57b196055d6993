/** Pushes: devices brought to their published editions, previewed and confirmed as errands are; and runs once more. */
import type { FilePlace } from '@zpine/core/config/filing';
import type { Expectation } from '@zpine/core/fleet/expectations';
import { isWell } from '@zpine/core/fleet/outcomes';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import { changingKinds } from '@zpine/contract/runKinds';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { farEnds } from '../cables/trace.ts';
import { newSecret } from '../access/secrets.ts';
import type { Files } from '../editions/content.ts';
import { staleAmong } from '../editions/editions.ts';
import { publishedFilesOf } from '../editions/rows.ts';
import { mustBeQuestion } from './asks.ts';
import { expectsOf, mustKnowHow, type SealedFile } from './errands.ts';
import { sealedRows } from './runRows.ts';
import { inputOf, makeRun, runRow, type RunInput } from './runs.ts';
import { mustBeMeant, selected } from './selection.ts';

/** What a push keeps of a device under seal. */
export interface PushSeal {
  /** The number of the edition, and its files with all secrets. */
  edition: number;
  files: Files;
  /** Where its outputs go on the device. */
  places: FilePlace[];
  /** The one-time part of URLs that are sent. */
  token: string;
  /** Lines are sent, too, whose secret the device does not show well enough to say that it is the right one. */
  blind?: boolean;
  secrets: string[];
  /** Ports whose cable leads to another device, by the records. */
  cabled: string[];
  /** What answers have to say afterwards, names filled in. */
  expect?: Expectation[];
  /** What ran before and after, for the way back. */
  before?: string;
  after?: string;
  filesBefore?: SealedFile[];
}

/** What is known of a device beforehand is said instead of reaching it. */
interface LeftOut {
  leftOut: string;
}

export async function push(tx: Tx, body: BodyOf<'run.push'>): Promise<RunHead> {
  const found = await selected(tx, body);
  const { devices } = found;
  await mustBeMeant(tx, body, devices.length);
  const seals = await pushSeals(tx, devices, body);
  const ready = devices.filter((device) => !('leftOut' in (seals.get(device.id) ?? { leftOut: '' })));
  const [only] = devices;
  if (ready.length === 0 && [...seals.values()].every((seal) => 'leftOut' in seal && seal.leftOut === NO_EDITION))
    throw devices.length === 1 && only
      ? new Refusal('push-no-edition', { device: only.key })
      : new Refusal('push-nothing', { count: devices.length });
  const expects = await expectsOf(tx, ready, body);
  for (const [id, seal] of seals) if (!('leftOut' in seal)) seal.expect = expects.get(id) ?? [];
  const dialects = await mustKnowHow(tx, ready, undefined, true);
  for (const [i, question] of body.questions.entries()) mustBeQuestion(question, dialects, ['questions', i]);
  return makeRun(tx, {
    kind: 'push',
    title: 'Bring to the published edition',
    input: {
      asks: body.questions.map((question) => ({ question })),
      expect: body.expect,
      keep: body.keep,
      confirmed: false,
      insist: body.insist,
      stale: body.stale,
      secrets: body.secrets,
      ...(body.perSite === undefined ? {} : { perSite: body.perSite }),
    },
    selected: found,
    sealed: new Map([...seals].map(([id, seal]) => [id, JSON.stringify(seal)])),
  });
}

const NO_EDITION = 'it has no published edition';

/** So many editions are held at a time while they are sealed. */
const SLICE = 200;

async function pushSeals(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  { stale = false, secrets: blind = false }: Pick<RunInput, 'stale' | 'secrets'>,
): Promise<Map<number, PushSeal | LeftOut>> {
  const out = new Map<number, PushSeal | LeftOut>();
  for (let at = 0; at < devices.length; at += SLICE) {
    const slice = devices.slice(at, at + SLICE);
    const ids = slice.map(({ id }) => id);
    const editions = await publishedFilesOf(tx, ids);
    const published = slice.filter(({ id }) => editions.has(id));
    const old = stale ? new Set<number>() : await staleAmong(tx, published, editions);
    const tokens = await tokensOf(tx, ids);
    const cabled = await cabledOf(tx, ids);
    for (const { id, key } of slice) {
      const edition = editions.get(id);
      if (!edition) out.set(id, { leftOut: NO_EDITION });
      else if (old.has(id))
        out.set(id, {
          leftOut: `edition ${edition.number} is stale, its inputs have changed since: zpine edition make ${key}, or push it as it is: --stale`,
        });
      else {
        const { files, places } = edition;
        const secrets = files.flatMap((file) => file.secrets.map(([from, to]) => file.text.slice(from, to)));
        const token = tokens.get(id) ?? newSecret('');
        out.set(id, {
          edition: edition.number,
          files,
          places,
          token,
          secrets,
          cabled: cabled.get(id) ?? [],
          ...(blind ? { blind } : {}),
        });
      }
    }
  }
  return out;
}

/** The one-time part that a device was given last: what it calls home with when it boots. */
async function tokensOf(tx: Tx, devices: readonly number[]): Promise<Map<number, string>> {
  const rows = await tx.select<{ device_id: number; token: string }>(
    'SELECT device_id, token FROM arrival WHERE id IN (SELECT MAX(id) FROM arrival WHERE device_id IN (?) GROUP BY device_id)',
    [devices],
  );
  return new Map(rows.map((row) => [Number(row.device_id), row.token]));
}

/**
 * Names of ports whose cable leads, by way of whatever panels, to an interface of another device: something should be heard
 * there. What ends at a socket in a wall may be used by nobody.
 */
async function cabledOf(tx: Tx, devices: readonly number[]): Promise<Map<number, string[]>> {
  const rows = await tx.select<{ id: number; device_id: number; name: string }>(
    'SELECT p.id, p.device_id, p.name FROM port p JOIN cable_end e ON e.port_id = p.id WHERE p.device_id IN (?)',
    [devices],
  );
  const out = new Map<number, string[]>();
  if (rows.length === 0) return out;
  const ends = await farEnds(
    tx,
    rows.map(({ id }) => Number(id)),
  );
  const far = [...ends.values()].flatMap(({ port }) => port ?? []);
  if (far.length === 0) return out;
  const active = await tx.select<{ port_id: number }>('SELECT port_id FROM `interface` WHERE port_id IN (?)', [far]);
  const hears = new Set(active.map((row) => Number(row.port_id)));
  for (const { id, device_id, name } of rows)
    if (hears.has(ends.get(Number(id))?.port ?? 0))
      out.set(Number(device_id), [...(out.get(Number(device_id)) ?? []), name]);
  return out;
}

/** The same once more, for the devices with which a run did not do well. What changes devices is previewed anew. */
export async function retry(tx: Tx, id: string): Promise<RunHead> {
  const row = await runRow(tx, id, true);
  if (row.state !== 'ended') throw new Refusal('run-not-over', { id: row.id });
  const rows = (await sealedRows(tx, row.id)).filter(({ outcome }) => outcome === null || !isWell(outcome));
  const devices = await byIds(tx, 'device', rows, 'device_id');
  const again = rows.flatMap((one) => devices.get(Number(one.device_id)) ?? []);
  if (again.length === 0) throw new Refusal('run-nothing-left', { id: row.id });
  const input: RunInput = { ...inputOf(row), ...(changingKinds.includes(row.kind) ? { confirmed: false } : {}) };
  const sealed =
    row.kind === 'push'
      ? new Map([...(await expecting(tx, again, input))].map(([of, seal]) => [of, JSON.stringify(seal)]))
      : new Map(
          rows.flatMap((one): [number, string][] =>
            one.sealed === null ? [] : [[Number(one.device_id), asBefore(tx.sealer.open(one.sealed))]],
          ),
        );
  return makeRun(tx, {
    kind: row.kind,
    title: row.title,
    input,
    selected: { devices: again, words: `${again.length} devices of run #${row.id}` },
    sealed,
  });
}

/** What is expected is worked out anew, too. */
async function expecting(
  tx: Tx,
  devices: Stored<'device'>[],
  input: RunInput,
): Promise<Map<number, PushSeal | LeftOut>> {
  const seals = await pushSeals(tx, devices, input);
  const questions = input.asks.flatMap(({ question }) => question ?? []);
  const expects = await expectsOf(tx, devices, { expect: input.expect, questions });
  for (const [id, seal] of seals) if (!('leftOut' in seal)) seal.expect = expects.get(id) ?? [];
  return seals;
}

/** Without what ran when it was tried before. */
function asBefore(sealed: string): string {
  const {
    before: _before,
    after: _after,
    filesBefore: _files,
    ...seal
  } = JSON.parse(sealed) as Record<string, unknown>;
  return JSON.stringify(seal);
}
