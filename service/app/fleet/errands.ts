/** Errands: lines for devices, previewed, confirmed by number, taken back. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { MASK } from '@zpine/core/secrets/masking';
import { inverseLines } from '@zpine/core/fleet/errand';
import { contradiction } from '@zpine/core/fleet/errandSteps';
import { fieldIn, type Expectation } from '@zpine/core/fleet/expectations';
import { TemplateStop, faultText } from '@zpine/core/template/faults';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import { changingKinds, takenBackKinds } from '@zpine/contract/runKinds';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { contextIn, deviceRecords, type DeviceContext } from '../editions/context.ts';
import { renderInputs } from '../editions/content.ts';
import { checkTemplate } from '@zpine/core/template/check';
import { settingsCatalogue } from '../editions/templates.ts';
import { maskerFor } from '../secrets/known.ts';
import { mustBeQuestion, mustCompile, withTable } from './asks.ts';
import { changedRows } from './runRows.ts';
import { inputOf, runSummary, makeRun, runRow, type RunTableRow } from './runs.ts';
import { mustBeMeant } from './selection.ts';
import { targetsOf } from './targets.ts';
import { unmaskerFrom } from './unmasked.ts';

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

const TEMPLATE = 'errand';

export async function errand(tx: Tx, body: BodyOf<'run.errand'>): Promise<RunHead> {
  const found = await withTable(tx, body);
  const { devices } = found.selected;
  if ((body.lines ?? '').trim() === '' && !found.lines) throw new Refusal('errand-empty');
  await mustBeMeant(tx, body, devices.length);
  const seals = await sealsOf(tx, devices, (device) =>
    [body.lines ?? '', ...(found.lines?.get(device.id) ?? [])].filter((part) => part.trim() !== '').join('\n'),
  );
  if (body.away) for (const seal of seals.values()) seal.away = true;
  if (body.secretsFrom !== undefined) await fillIn(tx, seals, body.secretsFrom);
  for (const device of devices) noMask(device.key, seals.get(device.id)?.lines ?? '');
  const dialects = await mustMakeSense(tx, devices, seals);
  for (const [i, question] of body.questions.entries()) mustBeQuestion(question, dialects, ['questions', i]);
  const expects = await expectsOf(tx, devices, body);
  for (const [id, seal] of seals) seal.expect = expects.get(id) ?? [];
  const first = (body.lines ?? '').split('\n').find((line) => line.trim() !== '') ?? 'lines out of a table';
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
    },
    selected: found.selected,
    sealed: new Map([...seals].map(([id, seal]) => [id, JSON.stringify(seal)])),
  });
}

/** Dots become the secrets that a capture has in their place. */
async function fillIn(tx: Tx, seals: Map<number, ErrandSeal>, capture: number): Promise<void> {
  const unmask = await unmaskerFrom(tx, capture);
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
  const filled = await Promise.all(expect.map(({ text }) => sealsOf(tx, devices, () => text, ['expect'])));
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
  devices: Stored<'device'>[],
  text: string,
  path: (string | number)[],
): Promise<Map<number, string>> {
  const filled = await sealsOf(tx, devices, () => text, path);
  return new Map([...filled].map(([id, { lines }]) => [id, lines.replace(/\n$/, '')]));
}

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

/** So many devices are put together at a time. */
const SLICE = 500;

/** The lines of each device; those with names in them are worked out from its records. */
async function sealsOf(
  tx: Tx,
  devices: Stored<'device'>[],
  linesOf: (device: Stored<'device'>) => string,
  path: (string | number)[] = ['lines'],
): Promise<Map<number, ErrandSeal>> {
  const out = new Map(
    devices.map((device): [number, ErrandSeal] => [device.id, { lines: linesOf(device), secrets: [] }]),
  );
  const named = devices.filter((device) => out.get(device.id)?.lines.includes('@'));
  if (named.length === 0) return out;
  const catalogue = await settingsCatalogue(tx);
  const checked = new Set<string>();
  for (let at = 0; at < named.length; at += SLICE) {
    const slice = named.slice(at, at + SLICE);
    const known = await deviceRecords(tx, slice);
    for (const device of slice) {
      const source = linesOf(device);
      const [fault] = checked.has(source) ? [] : checkTemplate(TEMPLATE, source, () => undefined, catalogue);
      if (fault) throw Refusal.at(path, 'errand-template', { device: device.key, first: faultText(fault) });
      checked.add(source);
      out.set(device.id, rendered(tx, contextIn(tx, known, device), source));
    }
  }
  return out;
}

function rendered(tx: Tx, { device, data, secrets }: DeviceContext, source: string): ErrandSeal {
  try {
    const [file] = renderInputs(
      { template: TEMPLATE, source, fragments: {}, data, secrets },
      tx.sealer,
      String(device.id),
    );
    if (!file) return { lines: '', secrets: [] };
    return { lines: file.text, secrets: file.secrets.map(([from, to]) => file.text.slice(from, to)) };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    throw Refusal.at(['lines'], 'errand-template', { device: device.key, first: faultText(error.fault) });
  }
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
  await tx.execute("UPDATE run_row SET state = 'waiting', version = ? WHERE run_id = ? AND outcome IS NULL", [
    row.version + 1,
    row.id,
  ]);
  await tx.execute(
    "UPDATE run SET state = 'waiting', started_at = NULL, input = ?, version = version + 1 WHERE id = ?",
    [JSON.stringify({ ...inputOf(row), confirmed: true }), row.id],
  );
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
