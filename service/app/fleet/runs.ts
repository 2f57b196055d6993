/** Runs: made, listed, shown, stopped. The work itself is done in fleet/. */
import { askName, type Ask } from '@zpine/core/fleet/asking';
import type { Outcome } from '@zpine/core/fleet/outcomes';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead, RunRow, ShownAnswer, ShownRun } from '@zpine/contract/fleetShapes';
import type { RunKind } from '@zpine/contract/runKinds';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { findRefs } from '../records/refs.ts';
import type { Tx } from '../../store/tx.ts';
import type { Expectation } from '@zpine/core/fleet/expectations';
import { rowColumns, rowsOfRun, type RowTableRow } from './runRows.ts';
import type { Selected } from './selection.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';

/** What a run does beside its rows. */
export interface RunInput {
  /** Of an ask: what every device is asked; of an errand: the questions before and after. */
  asks: Ask[];
  expect: Expectation[];
  /** Of an errand: whether what then runs is to be kept, and whether it was confirmed. */
  keep?: boolean;
  confirmed?: boolean;
  /** Of an errand: somebody insists, although the service would lose its way in. */
  insist?: boolean;
  /** Of what changes devices: so many of one site at a time. */
  perSite?: number;
  /** Of a push: editions may be stale; lines with secrets that nobody can compare are sent anyway. */
  stale?: boolean;
  secrets?: boolean;
  /** Of an operation: which, and for how long a wiped device is expected. */
  operation?: string;
  /** It changes nothing: no device waits for another. */
  harmless?: boolean;
  hours?: number;
  /** Of an errand that a plan began: it is done by itself where no more devices than these are to be changed. */
  most?: number;
  /** Of comparing and judging: by the last captures, no device is asked. */
  captured?: boolean;
  /** Of judging: the checks, by their ids. */
  checks?: number[];
  /** A sheet that is tried, instead of that of the records. */
  sheet?: string;
}

export const runs = table('run', {
  id: number,
  kind: word<RunKind>(),
  state: word<RunHead['state']>(),
  title: text,
  input: text,
  selection: text,
  expected: number,
  made_by: text,
  reason: maybe(text),
  made_at: time,
  started_at: maybe(time),
  ended_at: maybe(time),
  ended: maybe(text),
  stopping: number,
  paused: number,
  takes_back: maybe(number),
  version: number,
});
export type RunTableRow = RowOf<typeof runs>;

export interface NewRun {
  kind: RunKind;
  title: string;
  input: RunInput;
  selected: Selected;
  /** What differs from device to device, kept under seal. */
  sealed?: Map<number, string>;
  takesBack?: number;
}

export async function makeRun(tx: Tx, run: NewRun): Promise<RunHead> {
  const { devices, words } = run.selected;
  const [id] = await tx.insertRows('run', [
    {
      kind: run.kind,
      state: 'waiting',
      title: run.title.slice(0, 200),
      input: JSON.stringify(run.input),
      selection: words.slice(0, 2000),
      expected: devices.length,
      made_by: tx.actor.name,
      reason: tx.actor.reason ?? null,
      made_at: await tx.now(),
      takes_back: run.takesBack ?? null,
    },
  ]);
  const rows = devices.map((device: Stored<'device'>, seq) => {
    const held = run.sealed?.get(device.id);
    return {
      run_id: id,
      seq,
      device_id: device.id,
      device_key: device.key,
      state: 'waiting',
      sealed: held === undefined ? null : tx.sealer.seal(held),
    };
  });
  await tx.insertRows('run_row', rows, '');
  tx.hint('run', Number(id), 1);
  return runSummary(tx, await runRow(tx, String(id)));
}

export async function runRow(tx: Tx, id: string, lock = false): Promise<RunTableRow> {
  const row = /^[0-9]{1,15}$/.test(id)
    ? await tx.one<RunTableRow>(`SELECT ${runs.all} FROM run WHERE id = ?${lock ? ' FOR UPDATE' : ''}`, [id])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'run', ref: `#${id}` });
  return row;
}

const iso = (at: Date | null): string | null => at?.toISOString() ?? null;

interface Counted {
  run_id: number;
  state: string;
  outcome: Outcome | null;
  count: number;
}

async function runSummaries(tx: Tx, rows: RunTableRow[]): Promise<RunHead[]> {
  if (rows.length === 0) return [];
  const counted = await tx.select<Counted>(
    `SELECT run_id, state, outcome, COUNT(*) AS count FROM run_row WHERE run_id IN (?) GROUP BY run_id, state, outcome`,
    [rows.map((row) => row.id)],
  );
  return rows.map((row) => {
    const own = counted.filter((one) => Number(one.run_id) === Number(row.id));
    const sum = (of: Counted[]) => of.reduce((total, { count }) => total + Number(count), 0);
    const counts: RunHead['counts'] = {};
    for (const { outcome, count } of own) if (outcome) counts[outcome] = (counts[outcome] ?? 0) + Number(count);
    return {
      id: Number(row.id),
      kind: row.kind,
      state: row.state,
      title: row.title,
      selection: row.selection,
      expected: row.expected,
      done: sum(own.filter((one) => one.state === 'done')),
      counts,
      toDo: row.state === 'previewed' ? sum(own.filter((one) => one.state === 'done' && one.outcome === null)) : 0,
      madeAt: row.made_at.toISOString(),
      startedAt: iso(row.started_at),
      endedAt: iso(row.ended_at),
      by: row.made_by,
      reason: row.reason,
      stopping: Boolean(row.stopping),
      paused: Boolean(row.paused),
      ...(row.kind === 'operation' && inputOf(row).harmless === true ? { sideBySide: true } : {}),
      takesBack: row.takes_back === null ? null : Number(row.takes_back),
      ended: row.ended,
      version: row.version,
    };
  });
}

export async function runSummary(tx: Tx, row: RunTableRow): Promise<RunHead> {
  const [one] = await runSummaries(tx, [row]);
  if (!one) throw new Error('a run has a head');
  return one;
}

export async function listRuns(tx: Tx, query: QueryOf<'run.list'>): Promise<ReplyOf<'run.list'>> {
  const tests: string[] = [];
  const values: unknown[] = [];
  if (query.kind) {
    tests.push('kind = ?');
    values.push(query.kind);
  }
  if (query.device !== undefined) {
    const device = (await findRefs(tx, 'device', [query.device])).get(query.device);
    tests.push('id IN (SELECT run_id FROM run_row WHERE device_id = ?)');
    values.push(device?.id ?? 0);
  }
  const where = tests.length > 0 ? `WHERE ${tests.join(' AND ')}` : '';
  const rows = await tx.select<RunTableRow>(
    `SELECT ${runs.all} FROM run ${where} ORDER BY id DESC LIMIT ${query.limit}`,
    values,
  );
  return { items: await runSummaries(tx, rows) };
}

/** How much of an answer a list shows; the whole stands at the device. */
const BRIEF = 400;

const brief = (one: ShownAnswer): ShownAnswer => ({
  ...one,
  text: one.text.slice(0, BRIEF),
  rows: one.rows.slice(0, 50),
});

function presentRow(row: RowTableRow, whole: boolean): RunRow {
  const result = (row.result === null ? {} : JSON.parse(row.result)) as Partial<RunRow>;
  const { answers } = result;
  return {
    ...result,
    ...(answers ? { answers: whole ? answers : answers.map(brief) } : {}),
    device: row.device_key,
    state: row.state,
    outcome: row.outcome,
    detail: row.detail,
    startedAt: iso(row.started_at),
    ms: row.ms,
  };
}

export const inputOf = (row: Pick<RunTableRow, 'input'>): RunInput => JSON.parse(row.input) as RunInput;

export async function wholeRun(tx: Tx, id: string, query: QueryOf<'run.show'>): Promise<ShownRun> {
  const row = await runRow(tx, id);
  // The head before the rows: what changes in between is told again, and nothing is left out.
  const rows = query.rows === 'none' ? [] : await rowsOfRun(tx, row.id, query.since ?? -1);
  const { asks, expect } = inputOf(row);
  return {
    ...(await runSummary(tx, row)),
    asks: asks.map(askName),
    expect,
    rows: rows.map((one) => presentRow(one, query.text === 'true')),
  };
}

export async function rowOfRun(tx: Tx, id: string, device: string): Promise<RunRow> {
  const row = await runRow(tx, id);
  const ref = device.trim().toLowerCase();
  const [column, value] = ref.startsWith('#') ? ['device_id', ref.slice(1)] : ['device_key', ref];
  const found = await tx.one<RowTableRow>(`SELECT ${rowColumns} FROM run_row WHERE run_id = ? AND ${column} = ?`, [
    row.id,
    value,
  ]);
  if (!found) throw new Refusal('not-found', { kind: 'device', ref: device });
  return presentRow(found, true);
}

/** Devices that are not begun with wait until it goes on. */
export async function pauseRun(tx: Tx, id: string, paused: boolean): Promise<RunHead> {
  const row = await runRow(tx, id, true);
  if (row.state === 'ended') throw new Refusal('run-over', { id: row.id });
  await tx.execute('UPDATE run SET paused = ?, version = version + 1 WHERE id = ?', [paused ? 1 : 0, row.id]);
  tx.hint('run', Number(row.id), row.version + 1);
  return runSummary(tx, await runRow(tx, id));
}

export async function stopRun(tx: Tx, id: string): Promise<RunHead> {
  const row = await runRow(tx, id, true);
  if (row.state === 'ended') throw new Refusal('run-over', { id: row.id });
  const over = row.state !== 'working';
  await tx.execute(
    `UPDATE run SET stopping = 1, version = version + 1${over ? ", state = 'ended', ended_at = ?, ended = ?" : ''} WHERE id = ?`,
    [...(over ? [await tx.now(), `stopped by ${tx.actor.name}`] : []), row.id],
  );
  if (over)
    await tx.execute(
      `UPDATE run_row SET state = 'done', outcome = 'left out', detail = 'the run was stopped', version = ?
       WHERE run_id = ? AND outcome IS NULL`,
      [row.version + 1, row.id],
    );
  tx.hint('run', Number(row.id), row.version + 1);
  return runSummary(tx, await runRow(tx, id));
}
