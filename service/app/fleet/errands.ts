/** Errands: lines for devices, previewed, confirmed by number, taken back. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { MASK } from '@zpine/core/secrets/masking';
import { inverseLines } from '@zpine/core/fleet/errand';
import { contradiction } from '@zpine/core/fleet/errandSteps';
import { fieldIn, type Expectation } from '@zpine/core/fleet/expectations';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import { changingKinds, takenBackKinds } from '@zpine/contract/runKinds';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { maskerFor } from '../secrets/known.ts';
import { mustBeQuestion, mustCompile, withTable, type WithTable } from './asks.ts';
import { filledFor, type Filling } from './filled.ts';
import { changedRows } from './runRows.ts';
import { inputOf, runSummary, makeRun, runRow, type RunInput, type RunTableRow } from './runs.ts';
import { mustBeMeant, type Selected } from './selection.ts';
import { targetsOf } from './targets.ts';
import { beginConfirmed } from './work.ts';
import { unmaskerFrom, unmaskerFromEdition, type Unmasked } from './unmasked.ts';

/** What an errand keeps of a device under seal. */
export interface ErrandSeal {
  lines: string;
  /** Secrets among the lines, to be masked wherever they show up. */
  secrets: string[];
  /** What answers have to say afterwards, names filled in. */
  expect?: Expectation[];
  /** All that the lines say shall go, wherever it stands. */
  away?: boolean;
  /** Files that go back to what they were. */
  files?: SealedFile[];
  /** What ran before and after, for the way back, and files as they were. */
  before?: string;
  after?: string;
  filesBefore?: SealedFile[];
}

/** A file as it was. */
export interface SealedFile {
  path: string;
  /** Null where there was none. */
  base64: string | null;
  owner: string | null;
  mode: string | null;
  /** What is called when it is another than before. */
  changed: string | null;
}

export async function errand(tx: Tx, body: BodyOf<'run.errand'>): Promise<RunHead> {
  const found = await withTable(tx, body);
  const { devices } = found.selected;
  if ((body.lines ?? '').trim() === '' && !found.lines) throw new Refusal('errand-empty');
  await mustBeMeant(tx, body, devices.length);
  const seals = await sealsOf(tx, devices, linesIn(body, found));
  return errandOf(tx, body, found.selected, seals);
}

/** What is typed once is for all; where a table has columns for blanks, it is done once for each row. */
function linesIn(body: Pick<BodyOf<'run.errand'>, 'lines'>, { lines, wide }: WithTable): Filling {
  const textOf = (device: Stored<'device'>) =>
    [body.lines ?? '', ...(lines?.get(device.id) ?? [])].filter((part) => part.trim() !== '').join('\n');
  if (!wide || wide.heads.length === 0) return { textOf };
  const names = new Map(wide.heads.map((head) => [head, blankName(head)]));
  return {
    textOf,
    blanks: Object.fromEntries([...names.values()].map((name) => [name, { is: 'text' }])),
    blanksOf: ({ id }) =>
      (wide.rows.get(id) ?? []).map(({ values }) =>
        Object.fromEntries([...names].map(([head, name]) => [name, values[head] ?? ''])),
      ),
  };
}

/** `access-port` is blank.accessPort. */
const blankName = (head: string): string =>
  head.replace(/[^a-z0-9]+(.)?/g, (_, next: string | undefined) => (next ?? '').toUpperCase());

type ErrandBody = Pick<
  BodyOf<'run.errand'>,
  'away' | 'secretsFrom' | 'secretsFromEdition' | 'questions' | 'expect' | 'keep' | 'insist' | 'perSite' | 'lines'
>;

/** An errand whose lines are known, device by device. `title`: what it is called; left out: its first line. */
export async function errandOf(
  tx: Tx,
  body: ErrandBody,
  selected: Selected,
  seals: Map<number, ErrandSeal>,
  { title, input = {} }: { title?: string; input?: Partial<RunInput> } = {},
): Promise<RunHead> {
  const { devices } = selected;
  if (body.away) for (const seal of seals.values()) seal.away = true;
  if (body.secretsFrom !== undefined) fillIn(seals, await unmaskerFrom(tx, body.secretsFrom));
  if (body.secretsFromEdition) fillIn(seals, await unmaskerFromEdition(tx, body.secretsFromEdition));
  for (const device of devices) noMask(device.key, seals.get(device.id)?.lines ?? '');
  const dialects = await mustMakeSense(tx, devices, seals);
  for (const [i, question] of body.questions.entries()) mustBeQuestion(question, dialects, ['questions', i]);
  const expects = await expectsOf(tx, devices, body);
  for (const [id, seal] of seals) seal.expect = expects.get(id) ?? [];
  const first = title ?? (body.lines ?? '').split('\n').find((line) => line.trim() !== '') ?? 'lines out of a table';
  return makeRun(tx, {
    kind: 'errand',
    // What is secret in one of their dialects is secret in the list of runs.
    title: (await maskerFor(tx, devices)).mask(
      dialects.reduce((title, dialect) => dialect.masked(title), first.trim()),
    ),
    input: {
      asks: body.questions.map((question) => ({ question })),
      expect: body.expect,
      keep: body.keep,
      confirmed: false,
      insist: body.insist,
      ...(body.perSite === undefined ? {} : { perSite: body.perSite }),
      ...input,
    },
    selected,
    sealed: new Map([...seals].map(([id, seal]) => [id, JSON.stringify(seal)])),
  });
}

/** Dots become the secrets that a capture or an edition has in their place. */
function fillIn(seals: Map<number, ErrandSeal>, unmask: (lines: string) => Unmasked): void {
  for (const seal of seals.values()) {
    const { lines, secrets } = unmask(seal.lines);
    seal.lines = lines;
    seal.secrets.push(...secrets);
  }
}

/** What is expected of each device, its own names filled in. */
export async function expectsOf(
  tx: Tx,
  devices: Stored<'device'>[],
  { expect, questions }: Pick<BodyOf<'run.errand'>, 'expect' | 'questions'>,
): Promise<Map<number, Expectation[]>> {
  if (expect.length === 0) return new Map();
  if (questions.length === 0) throw Refusal.at(['expect'], 'expect-nothing-asked', {});
  for (const [i, { kind, text }] of expect.entries()) {
    if (kind === 'matches') mustCompile(['expect', i, 'text'], text);
    if ((kind === 'field' || kind === 'no-field') && !fieldIn(text))
      throw Refusal.at(['expect', i, 'text'], 'expect-field', { text });
  }
  const out = new Map<number, Expectation[]>();
  const filled = await Promise.all(
    expect.map(({ text }) => filledFor(tx, devices, { textOf: () => text, path: ['expect'] })),
  );
  for (const { id } of devices)
    out.set(
      id,
      expect.map((one, i) => ({ ...one, text: filled[i]?.get(id)?.lines.replace(/\n$/, '') ?? one.text })),
    );
  return out;
}

/** A text for each device, names of templates filled in. */
export async function filledTexts(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  text: string,
  path: (string | number)[],
): Promise<Map<number, string>> {
  const filled = await filledFor(tx, devices, { textOf: () => text, path });
  return new Map([...filled].map(([id, { lines }]) => [id, lines.replace(/\n$/, '')]));
}

/** The lines of each device, to be kept under seal. */
export const sealsOf = async (
  tx: Tx,
  devices: readonly Stored<'device'>[],
  filling: Filling,
): Promise<Map<number, ErrandSeal>> => new Map((await filledFor(tx, devices, filling)).entries());

/** Dots stand for a secret that was not shown: on a device they would be the secret. */
function noMask(device: string, lines: string): void {
  const at = lines.split('\n').findIndex((line) => line.includes(MASK));
  if (at >= 0) throw Refusal.at(['lines'], 'mask-sent', { place: `${device}, line ${at + 1}`, mask: MASK });
}

/** Devices of which nobody knows how they are changed are found before any is reached; `files`: those of which only files are count, too. */
export async function mustKnowHow(
  tx: Tx,
  devices: Stored<'device'>[],
  look: (device: Stored<'device'>, dialect: Dialect) => void = () => undefined,
  files = false,
): Promise<Dialect[]> {
  const targets = await targetsOf(tx, devices);
  const dialects = new Set<Dialect>();
  for (const device of devices) {
    const { dialect, dialectName } = targets.get(device.id) ?? {};
    const params = { device: device.key, why: '' };
    if (!dialect)
      throw new Refusal('errand-unknown-dialect', {
        ...params,
        why: dialectName ? `nothing is known of the dialect ${dialectName}` : 'its records name no dialect',
      });
    if (!dialect.sheet.change && !(files && dialect.sheet.filing))
      throw new Refusal('errand-unknown-dialect', {
        ...params,
        why: `the sheet of ${dialect.sheet.title} does not say how a device is changed`,
      });
    look(device, dialect);
    dialects.add(dialect);
  }
  return [...dialects];
}

/** Lines that undo one another are found beforehand, too. */
function mustMakeSense(tx: Tx, devices: Stored<'device'>[], seals: Map<number, ErrandSeal>): Promise<Dialect[]> {
  const sane = new Set<string>();
  return mustKnowHow(tx, devices, (device, dialect) => {
    const lines = seals.get(device.id)?.lines ?? '';
    if (sane.has(`${dialect.name} ${lines}`)) return;
    const [first, second] = contradiction(dialect, lines) ?? [];
    if (first !== undefined && second !== undefined)
      throw Refusal.at(['lines'], 'errand-contradicts', { device: device.key, first, second });
    sane.add(`${dialect.name} ${lines}`);
  });
}

function mustChange({ id, kind }: Pick<RunTableRow, 'id' | 'kind'>): void {
  if (!changingKinds.includes(kind)) throw new Refusal('run-other-kind', { id, wanted: changingKinds.join(' or ') });
}

/** Begins what was previewed. The number that somebody typed must be that of the devices that are changed. */
export async function go(tx: Tx, id: string, count: number): Promise<RunHead> {
  const row = await runRow(tx, id, true);
  mustChange(row);
  if (row.state !== 'previewed')
    throw new Refusal('errand-not-previewed', {
      id: row.id,
      why: row.state === 'ended' ? 'it has ended' : 'it is still under way',
    });
  const { toDo } = await runSummary(tx, row);
  if (toDo !== count) throw new Refusal('errand-count', { count: toDo, given: count });
  await beginConfirmed(tx, Number(row.id), inputOf(row));
  tx.hint('run', Number(row.id), row.version + 1);
  return runSummary(tx, await runRow(tx, id));
}

/** The errand that leads back, device by device: from what ran after to what ran before. */
export async function takeBack(tx: Tx, id: string): Promise<RunHead> {
  const row = await runRow(tx, id, true);
  if (!takenBackKinds.includes(row.kind))
    throw new Refusal('run-other-kind', { id: row.id, wanted: takenBackKinds.join(' or ') });
  const rows = await changedRows(tx, row.id);
  const devices = await byIds(tx, 'device', rows, 'device_id');
  const targets = await targetsOf(tx, [...devices.values()]);
  const back: Stored<'device'>[] = [];
  const sealed = new Map<number, string>();
  for (const one of rows) {
    const device = devices.get(Number(one.device_id));
    const dialect = targets.get(Number(one.device_id))?.dialect;
    const seal = JSON.parse(one.sealed === null ? '{}' : tx.sealer.open(one.sealed)) as ErrandSeal;
    if (!device || !dialect || seal.before === undefined || seal.after === undefined) continue;
    const lines = inverseLines(dialect, seal.before, seal.after);
    const { filesBefore: files = [], secrets } = seal;
    if (lines === '' && files.length === 0) continue;
    back.push(device);
    sealed.set(device.id, JSON.stringify({ lines, secrets, files } satisfies ErrandSeal));
  }
  if (back.length === 0) throw new Refusal('errand-nothing-back', { id: row.id });
  return makeRun(tx, {
    kind: 'errand',
    title: `Undo #${row.id}: ${row.title}`,
    input: { ...inputOf(row), confirmed: false },
    selected: { devices: back, words: `${back.length} devices of run #${row.id}` },
    sealed,
    takesBack: Number(row.id),
  });
}
