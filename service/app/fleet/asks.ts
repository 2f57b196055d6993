/** Reach, ask and capture: what is to be done is looked at before a run begins. */
import { structuredPatch } from 'diff';
import { compilePattern } from '@zpine/core/text/pattern';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { blankFaults } from '@zpine/core/dialect/blanks';
import { askName, type Ask } from '@zpine/core/fleet/asking';
import { liesBy, type PerDevice, perDevice } from '@zpine/core/fleet/commandLists';
import { groupsOf, groupWords } from '@zpine/core/fleet/groups';
import { nearest } from '@zpine/core/naming/names';
import type { Expectation } from '@zpine/core/fleet/expectations';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead, RunRow } from '@zpine/contract/fleetShapes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byKeys } from '../../store/records.ts';
import { sha256Hex } from '../../store/digests.ts';
import type { Tx } from '../../store/tx.ts';
import { answeredRows } from './runRows.ts';
import { inputOf, makeRun, runRow } from './runs.ts';
import { selected, type Selected } from './selection.ts';
import { targetsOf } from './targets.ts';
import { cellsOf, wideDevices, type WideDevices } from './wide.ts';

const plain = { asks: [], expect: [] };

export async function reach(tx: Tx, body: BodyOf<'run.reach'>): Promise<RunHead> {
  return makeRun(tx, { kind: 'reach', title: 'Reach', input: plain, selected: await selected(tx, body) });
}

export async function captureNow(tx: Tx, body: BodyOf<'run.capture'>): Promise<RunHead> {
  return makeRun(tx, { kind: 'capture', title: 'Capture', input: plain, selected: await selected(tx, body) });
}

export async function compare(tx: Tx, body: BodyOf<'run.compare'>): Promise<RunHead> {
  return makeRun(tx, {
    kind: 'compare',
    title: body.captured ? 'Compare the last captures' : 'Compare',
    input: { ...plain, captured: body.captured },
    selected: await selected(tx, body),
  });
}

export async function ask(tx: Tx, body: BodyOf<'run.ask'>): Promise<RunHead> {
  const found = await withTable(tx, body);
  // A table that names devices and no commands asks for nothing.
  const own = [...(found.lines?.values() ?? [])].some((lines) => lines.length > 0);
  if (body.asks.length === 0 && !own) throw new Refusal('ask-missing');
  for (const [i, one] of body.asks.entries()) mustBeOneAsk(one, i);
  for (const [i, { kind, text }] of body.expect.entries())
    if (kind === 'matches') mustCompile(['expect', i, 'text'], text);
  const dialects = await dialectsOf(tx, found.selected.devices);
  mustBeReads(body, found, dialects);
  const sealed =
    found.lines && new Map([...found.lines].map(([id, lines]) => [id, askSeal(lines.map((command) => ({ command })))]));
  return makeRun(tx, {
    kind: 'ask',
    title: [...body.asks.map(askName), ...(found.lines ? ['a list'] : [])].join(', '),
    input: { asks: body.asks, expect: body.expect },
    selected: found.selected,
    ...(sealed ? { sealed } : {}),
  });
}

/** What one device alone is asked, to be kept under seal. */
const askSeal = (asks: Ask[]): string => JSON.stringify({ asks } satisfies { asks: Ask[] });

type OneAsk = BodyOf<'run.ask'>['asks'][number];

interface NamedAsk {
  title: string;
  expect: Expectation[];
}

/** Each device is asked what is its own: all of it only reads, or nobody is asked. */
export async function askDevices(
  tx: Tx,
  chosen: Selected,
  asks: ReadonlyMap<number, Ask[]>,
  { title, expect }: NamedAsk,
): Promise<RunHead> {
  const dialects = await dialectsOf(tx, chosen.devices);
  const looked = new Set<string>();
  for (const [id, own] of asks) {
    const dialect = dialects.get(id);
    if (own.length === 0) throw new Refusal('ask-missing');
    const key = JSON.stringify([dialect?.name, own]);
    if (!dialect || looked.has(key)) continue;
    looked.add(key);
    for (const { command, question, blanks } of own)
      if (question !== undefined) mustBeQuestion(question, [dialect], ['source'], blanks);
      else if (command !== undefined && !dialect.isRead(command))
        throw Refusal.at(['source'], 'ask-changes', { command, dialect: dialect.sheet.title });
  }
  return makeRun(tx, {
    kind: 'ask',
    title,
    input: { asks: [], expect },
    selected: chosen,
    sealed: new Map([...asks].map(([id, own]) => [id, askSeal(own)])),
  });
}

/** A command, a question, or a part of what runs; what goes with one of them only stands with no other. */
function mustBeOneAsk({ command, question, part, lines, blanks, rows }: OneAsk, i: number): void {
  const said = [command, question, part ?? lines].filter((one) => one !== undefined).length;
  if (said !== 1) throw Refusal.at(['asks', i], said === 0 ? 'ask-missing' : 'ask-both', {});
  if (blanks !== undefined && question === undefined)
    throw Refusal.at(['asks', i, 'blanks'], 'ask-part', { field: 'blanks', with: 'a question' });
  if (rows !== undefined && command === undefined)
    throw Refusal.at(['asks', i, 'rows'], 'ask-part', { field: 'rows', with: 'a command' });
  if (rows !== undefined) mustCompile(['asks', i, 'rows'], rows);
  if (lines !== undefined) mustCompile(['asks', i, 'lines'], lines);
}

export function mustCompile(path: (string | number)[], pattern: string): void {
  try {
    compilePattern(pattern);
  } catch (error) {
    throw Refusal.at(path, 'pattern-faulty', { pattern, why: error instanceof Error ? error.message : '' });
  }
}

async function dialectsOf(tx: Tx, devices: Stored<'device'>[]): Promise<Map<number, Dialect>> {
  const out = new Map<number, Dialect>();
  for (const [id, { dialect }] of await targetsOf(tx, devices)) if (dialect) out.set(id, dialect);
  return out;
}

/**
 * A question that not one of the dialects knows is refused, with those that there are; so is one whose blanks are not
 * filled in as the first dialect that knows it wants.
 */
export function mustBeQuestion(
  question: string,
  dialects: readonly Dialect[],
  path: (string | number)[],
  blanks: Readonly<Record<string, string>> = {},
): void {
  const knows = dialects.filter((dialect) => Object.hasOwn(dialect.sheet.questions, question));
  for (const dialect of knows) {
    const faults = blankFaults(dialect.sheet.questions[question]?.blanks ?? {}, blanks);
    if (faults.length > 0)
      throw Refusal.of(faults.map(({ code, params, blank }) => ({ path: [...path, 'blanks', blank], code, params })));
  }
  if (dialects.length === 0 || knows.length > 0) return;
  const known = [...new Set(dialects.flatMap((dialect) => Object.keys(dialect.sheet.questions)))].sort();
  const meant = nearest(question, known);
  throw Refusal.at(path, 'question-unknown', {
    question,
    known: known.join(', ') || 'none',
    ...(meant === undefined ? {} : { meant }),
  });
}

/** A command that is no reading one in a single dialect of the selection is refused for all: nothing is asked half. */
function mustBeReads(body: BodyOf<'run.ask'>, found: WithTable, dialects: Map<number, Dialect>): void {
  const all = [...new Map([...dialects.values()].map((dialect) => [dialect.name, dialect])).values()].sort((a, b) =>
    a.name < b.name ? -1 : 1,
  );
  for (const [i, { command, question, blanks }] of body.asks.entries()) {
    if (command !== undefined)
      for (const dialect of all)
        if (!dialect.isRead(command))
          throw Refusal.at(['asks', i, 'command'], 'ask-changes', { command, dialect: dialect.sheet.title });
    if (question !== undefined) mustBeQuestion(question, all, ['asks', i, 'question'], blanks);
  }
  for (const [id, commands] of found.lines ?? []) {
    const dialect = dialects.get(id);
    const wrong = dialect && commands.find((command) => !dialect.isRead(command));
    if (dialect && wrong !== undefined)
      throw Refusal.at(['perDevice', 'text'], 'ask-changes', { command: wrong, dialect: dialect.sheet.title });
  }
}

export interface WithTable {
  selected: Selected;
  /** Lines by the id of a device; left out where no table was given. */
  lines?: Map<number, string[]>;
  /** What else its columns say of a device, where it has a head row. */
  wide?: WideDevices;
}

interface TableBody {
  devices?: string[] | undefined;
  where?: string | undefined;
  perDevice?: { text: string; by?: 'columns' | 'rows' | undefined } | undefined;
}

/** The devices of a selection, and their lines out of a table; a table alone selects the devices that it names. */
export async function withTable(tx: Tx, body: TableBody): Promise<WithTable> {
  if (!body.perDevice) return { selected: await selected(tx, body) };
  const alone = body.devices === undefined && body.where === undefined;
  const cells = cellsOf(body.perDevice.text);
  const given = alone ? undefined : await selected(tx, body);
  const wide = body.perDevice.by === undefined ? await wideDevices(tx, cells, given?.devices) : undefined;
  if (wide) {
    const words = alone ? `${wide.devices.length} devices of a table` : (given?.words ?? '');
    const lines = new Map([...wide.rows].map(([id, rows]) => [id, rows.flatMap((row) => row.lines)]));
    return { selected: { devices: given?.devices ?? wide.devices, words }, lines, wide };
  }
  const known = new Map(given?.devices.map((device) => [device.key, device]));
  const isDevice = given ? (name: string) => known.has(name) : await anyDevice(tx, cells);
  const read = perDevice(cells, body.perDevice.by ?? liesBy(cells, isDevice));
  if (!read.ok) throw Refusal.at(['perDevice', 'text'], read.fault.code, read.fault.params);
  const chosen = given ?? (await selected(tx, { devices: [...read.value.keys()] }));
  return { selected: chosen, lines: byId(read.value, chosen.devices) };
}

function byId(lines: PerDevice, devices: Stored<'device'>[]): Map<number, string[]> {
  const ids = new Map(devices.map((device) => [device.key, device.id]));
  const out = new Map<number, string[]>();
  for (const [name, commands] of lines) {
    const id = ids.get(name) ?? (name.startsWith('#') ? Number(name.slice(1)) : undefined);
    if (id === undefined || !devices.some((device) => device.id === id)) {
      const meant = nearest(name, ids.keys());
      throw Refusal.at(['perDevice', 'text'], 'list-device-unknown', { device: name, ...(meant ? { meant } : {}) });
    }
    out.set(id, commands);
  }
  return out;
}

async function anyDevice(tx: Tx, cells: string[][]): Promise<(name: string) => boolean> {
  const names = [
    ...new Set([...(cells[0] ?? []), ...cells.map((row) => row[0] ?? '')].map((cell) => cell.trim().toLowerCase())),
  ];
  const known = await byKeys(tx, 'device', names);
  return (name) => known.has(name);
}

/** Equal answers together, and who misses an expectation. */
export async function groups(tx: Tx, id: string): Promise<ReplyOf<'run.groups'>> {
  const run = await runRow(tx, id);
  const { asks } = inputOf(run);
  const rows = await answeredRows(tx, run.id);
  const results = rows.map((row) => ({
    device: row.device_key,
    ...(JSON.parse(row.result ?? '{}') as Partial<RunRow>),
  }));
  const order = asks.map(askName);
  const named = [...new Set([...order, ...results.flatMap(({ answers = [] }) => answers.map((one) => one.ask))])];
  return {
    items: named.map((name) => {
      const answers = results.flatMap(({ device, answers: held = [] }) =>
        held.filter((one) => one.ask === name).map((one) => ({ device, one })),
      );
      const alike = groupsOf(answers.map(({ device, one }) => ({ device, digest: one.digest })));
      const textOf = (digest: string) => answers.find(({ one }) => one.digest === digest)?.one.text ?? '';
      const base = textOf(alike[0]?.digest ?? '');
      return {
        ask: name,
        words: groupWords(alike),
        groups: alike.slice(0, 200).map(({ devices, digest }, i) => ({
          devices,
          text: textOf(digest),
          diff: i === 0 ? [] : differing(base, textOf(digest)),
        })),
        failing: answers
          .filter(({ one }) => one.missed.length > 0)
          .map(({ device, one }) => ({ device, missed: one.missed })),
      };
    }),
  };
}

/** Lines with `-`, `+` or a blank before them; what is far from any difference is left out. */
function differing(from: string, to: string): string[] {
  if (from.length + to.length > 400_000) return ['(too long to be compared here)'];
  const patch = structuredPatch('', '', from, to, '', '', { context: 1 });
  return patch.hunks.flatMap((hunk, i) => [
    ...(i === 0 ? [] : [' …']),
    ...hunk.lines.filter((line) => !line.startsWith('\\')),
  ]);
}

export const digestOf = (text: string): string => sha256Hex(text).slice(0, 16);
