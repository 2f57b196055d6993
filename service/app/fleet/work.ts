/** What a run's worker takes from the database and puts back: a run at a time, its devices in batches. */
import type { Outcome } from '@zpine/core/fleet/outcomes';
import type { RunRow } from '@zpine/contract/fleetShapes';
import { changingKinds, type RunKind } from '@zpine/contract/runKinds';
import { byIds } from '../../store/records.ts';
import { claimDue, renew, type Lease } from '../../store/claims.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import type { JudgedCheck } from '../checks/planned.ts';
import { saveJudged } from '../checks/results.ts';
import { storeCaptured, type Captured } from './captures.ts';
import { endLeases } from '../boot/leases.ts';
import { keepKey, pinKey } from './hostKeys.ts';
import { addNotices } from './notices.ts';
import { saveDrift } from './drift.ts';
import type { FoundDrift } from './compared.ts';
import { nextVersion, waitingRowsOf } from './runRows.ts';
import { inputOf, type RunInput, type RunTableRow } from './runs.ts';
import { saveSeen } from './seen.ts';
import { targetsOf } from './targets.ts';
import type { Target } from './access.ts';

export interface ClaimedRun {
  id: number;
  kind: RunKind;
  lease: Lease;
  input: RunInput;
  by: string;
}

/** Takes a run that waits, or one whose worker has not been heard of any more. */
export async function claimRun(tx: Tx): Promise<ClaimedRun | undefined> {
  const [row] = await claimDue<RunTableRow>(tx, 'run', {
    columns: '*',
    where: "state IN ('waiting', 'working')",
    values: [],
    order: 'id',
    most: 1,
  });
  if (!row) return undefined;
  await tx.execute(
    "UPDATE run SET state = 'working', version = version + 1, started_at = COALESCE(started_at, ?) WHERE id = ?",
    [await tx.now(), row.id],
  );
  if (row.state === 'working') await pickUp(tx, row);
  tx.hint('run', Number(row.id), row.version + 1);
  return { id: Number(row.id), kind: row.kind, lease: row.lease, input: inputOf(row), by: row.made_by };
}

/** A run whose worker died: what only reads is done anew; what was being changed is not touched blindly. */
async function pickUp(tx: Tx, row: RunTableRow): Promise<void> {
  const changes = changingKinds.includes(row.kind) && inputOf(row).confirmed === true;
  await tx.execute(
    changes
      ? `UPDATE run_row SET state = 'done', outcome = 'stopped midway', detail = 'the service stopped while this device was being changed',
           version = ? WHERE run_id = ? AND state = 'working'`
      : `UPDATE run_row SET state = 'waiting', version = ? WHERE run_id = ? AND state = 'working'`,
    [row.version + 1, row.id],
  );
  await tx.execute('DELETE FROM busy_device WHERE run_id = ?', [row.id]);
}

export interface Waiting {
  target: Target;
  /** What was kept under seal for this device. */
  sealed: string | undefined;
  /** What an earlier phase of the run found. */
  result: Partial<RunRow>;
}

/** All devices of a run that wait, in their order. Devices that are gone are done with. */
export async function waitingRows(tx: Tx, run: ClaimedRun): Promise<Waiting[]> {
  const rows = await waitingRowsOf(tx, run.id);
  const devices = await byIds(tx, 'device', rows, 'device_id');
  const targets = await targetsOf(tx, [...devices.values()]);
  const out: Waiting[] = [];
  const gone: number[] = [];
  for (const row of rows) {
    const target = targets.get(Number(row.device_id));
    if (target && run.input.sheet !== undefined)
      target.dialect = tx.dialects.of(target.dialectName ?? 'tried', run.input.sheet);
    if (target) {
      out.push({
        target,
        sealed: row.sealed === null ? undefined : tx.sealer.open(row.sealed),
        result: row.result === null ? {} : (JSON.parse(row.result) as Partial<RunRow>),
      });
    } else gone.push(row.device_id);
  }
  if (gone.length > 0)
    await tx.execute(
      `UPDATE run_row SET state = 'done', outcome = 'left out', detail = 'this device is gone', version = ?
       WHERE run_id = ? AND device_id IN (?)`,
      [await nextVersion(tx, run.id), run.id, gone],
    );
  return out;
}

/** What a session with one device came to. */
export interface RowResult {
  device: number;
  /** Left out where the device waits for somebody's word: an errand that was looked at. */
  outcome: Outcome | null;
  detail: string;
  startedAt: number;
  ms: number;
  result: Partial<RunRow>;
  /** Kept under seal for a later phase; left out where it stays as it is. */
  sealed?: string;
  captured?: Captured[];
  /** What checks came to. */
  judged?: JudgedCheck[];
  /** What it runs held against what it should run. */
  drift?: FoundDrift;
  /** Another host key that it has since, and shows. */
  pinned?: { fingerprint: string; algorithm: string; key: string };
  /** Whether the device was asked for its configuration at all, for those who wait for a capture. */
  captureTried?: boolean;
}

/** Takes note of devices that are begun with, and of those that are done. False when another has the run by now. */
export async function saveRows(tx: Tx, run: ClaimedRun, begun: number[], results: RowResult[]): Promise<boolean> {
  if (!(await renew(tx, run.lease))) return false;
  const version = await nextVersion(tx, run.id);
  const done = new Set(results.map(({ device }) => device));
  const under = begun.filter((device) => !done.has(device));
  if (under.length > 0)
    await tx.execute(
      "UPDATE run_row SET state = 'working', version = ? WHERE run_id = ? AND device_id IN (?) AND state = 'waiting'",
      [version, run.id, under],
    );
  const standing = await byIds(
    tx,
    'device',
    results.map(({ device }) => device),
  );
  for (const found of results) {
    // Of a device that was removed meanwhile only this row is left: nothing else of it is kept.
    const one: RowResult = standing.has(found.device) ? found : withoutDevice(found);
    const result = await withCaptured(tx, run, one);
    const same = one.outcome === 'captured' && !(result.files ?? []).some((file) => file.changed);
    await tx.execute(
      `UPDATE run_row SET state = 'done', outcome = ?, detail = ?, started_at = ?, ms = ?, result = ?, version = ?${one.sealed === undefined ? '' : ', sealed = ?'}
       WHERE run_id = ? AND device_id = ?`,
      [
        same ? 'unchanged' : one.outcome,
        one.detail.slice(0, 2000),
        new Instant(one.startedAt),
        Math.round(one.ms),
        JSON.stringify(result),
        version,
        ...(one.sealed === undefined ? [] : [tx.sealer.seal(one.sealed)]),
        run.id,
        one.device,
      ],
    );
    for (const answer of one.result.answers ?? []) await saveSeen(tx, one.device, answer);
    if (one.drift) await saveDrift(tx, one.device, one.drift);
    if (one.pinned) await pinKey(tx, one.device, one.pinned);
    if (run.kind === 'reach' && one.result.hostKey) await keepKey(tx, one.device, one.result.hostKey);
    if (isWipedForGood(run, one)) await forgetWiped(tx, one.device);
    if (one.judged) await saveJudged(tx, one.device, run.id, one.judged);
    if (one.captureTried) await saveTry(tx, one);
  }
  if (begun.length + results.length > 0) tx.hint('run', run.id, null);
  return true;
}

/** Its memory is empty, and it is to boot from here. */
const isWipedForGood = ({ kind, input }: ClaimedRun, { outcome }: RowResult): boolean =>
  kind === 'operation' && input.operation === 'wipe' && input.hours !== undefined && outcome === 'done';

/** It begins from nothing: whatever lease it had is over, and the next key that it shows is its own. */
async function forgetWiped(tx: Tx, device: number): Promise<void> {
  await endLeases(tx, 'device_id = ?', [device]);
  await tx.execute('DELETE FROM host_key WHERE device_id = ?', [device]);
}

const withoutDevice = ({
  captured: _c,
  drift: _d,
  judged: _j,
  captureTried: _t,
  pinned: _p,
  result,
  ...row
}: RowResult): RowResult => ({
  ...row,
  result: { ...result, answers: [] },
});

async function withCaptured(tx: Tx, run: ClaimedRun, one: RowResult): Promise<Partial<RunRow>> {
  if (!one.captured) return one.result;
  const { files, lastRunning } = await storeCaptured(tx, one.device, run.id, one.captured);
  // What we change is captured by what changes it: what is found otherwise than it was left is somebody else's work.
  const changed = files.some(({ file, changed: isNew }) => file === 'running' && isNew);
  if (changed && lastRunning && !changingKinds.includes(run.kind))
    await addNotices(tx, one.device, (device) => [
      {
        what: 'configuration',
        text: `${device} runs another configuration than at ${lastRunning.toISOString().slice(0, 16).replace('T', ' ')}, by other hands: zpine capture diff ${device}`,
      },
    ]);
  return { ...one.result, files: [...files, ...(one.result.files ?? [])] };
}

async function saveTry(tx: Tx, one: RowResult): Promise<void> {
  const now = await tx.now();
  const well = one.captured !== undefined && one.captured.length > 0;
  await tx.execute(
    `INSERT INTO capture_try (device_id, tried_at, well_at, detail) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE tried_at = VALUES(tried_at), well_at = COALESCE(VALUES(well_at), well_at), detail = VALUES(detail)`,
    [one.device, now, well ? now : null, well ? '' : one.detail.slice(0, 500)],
  );
}

/** Whether somebody wants the run to end early, or to wait. */
export async function wishesFor(tx: Tx, run: ClaimedRun): Promise<{ stopping: boolean; paused: boolean }> {
  const row = await tx.one<{ stopping: number; paused: number }>('SELECT stopping, paused FROM run WHERE id = ?', [
    run.id,
  ]);
  return { stopping: Boolean(row?.stopping), paused: Boolean(row?.paused) };
}

/** A device that an errand changes is its own until it is done; gives the run that has it otherwise. */
export async function reserveDevice(
  tx: Tx,
  run: ClaimedRun,
  device: number,
  seconds: number,
): Promise<number | undefined> {
  const now = await tx.now();
  await tx.execute('DELETE FROM busy_device WHERE device_id = ? AND until_at < ?', [device, now]);
  await tx.execute(
    'INSERT IGNORE INTO busy_device (device_id, run_id, until_at) VALUES (?, ?, ? + INTERVAL ? SECOND)',
    [device, run.id, now, seconds],
  );
  const row = await tx.one<{ run_id: number }>('SELECT run_id FROM busy_device WHERE device_id = ?', [device]);
  return Number(row?.run_id) === run.id ? undefined : Number(row?.run_id);
}

export const freeDevice = (tx: Tx, run: ClaimedRun, device: number): Promise<number> =>
  tx.execute('DELETE FROM busy_device WHERE device_id = ? AND run_id = ?', [device, run.id]);

/** Ends a run; an errand that was only looked at waits for somebody's word, if there is something to do. */
export async function endRun(tx: Tx, run: ClaimedRun, early: string | undefined): Promise<void> {
  const now = await tx.now();
  if (early !== undefined)
    await tx.execute(
      "UPDATE run_row SET state = 'done', outcome = 'left out', detail = ?, version = ? WHERE run_id = ? AND state <> 'done'",
      [early, await nextVersion(tx, run.id), run.id],
    );
  const todo = await tx.one<{ count: number }>(
    'SELECT COUNT(*) AS count FROM run_row WHERE run_id = ? AND outcome IS NULL',
    [run.id],
  );
  const waits = changingKinds.includes(run.kind) && run.input.confirmed !== true && Number(todo?.count) > 0;
  await tx.execute(
    `UPDATE run SET state = ?, ended_at = ?, ended = ?, claimed_until = NULL, version = version + 1 WHERE id = ? AND fence = ?`,
    [waits ? 'previewed' : 'ended', waits ? null : now, early ?? null, run.id, run.lease.fence],
  );
  const { most } = run.input;
  if (waits && most !== undefined && early === undefined) await goByPlan(tx, run, Number(todo?.count), most);
  tx.hint('run', run.id, null);
}

/** What a plan began is done without anybody's word, where no more devices are to be changed than somebody permitted. */
async function goByPlan(tx: Tx, run: ClaimedRun, count: number, most: number): Promise<void> {
  if (count > most) {
    const why = `${count} device${count === 1 ? '' : 's'} would be changed, and its plan may change ${most}: it waits for somebody's word`;
    await tx.execute('UPDATE run SET ended = ? WHERE id = ?', [why, run.id]);
    return;
  }
  await beginConfirmed(tx, run.id, run.input);
}

/** Rows that were looked at wait for their turn again, and this time it is done. */
export async function beginConfirmed(tx: Tx, run: number, input: RunInput): Promise<void> {
  const version = await nextVersion(tx, run);
  await tx.execute("UPDATE run_row SET state = 'waiting', version = ? WHERE run_id = ? AND outcome IS NULL", [
    version,
    run,
  ]);
  await tx.execute("UPDATE run SET state = 'waiting', started_at = NULL, ended = NULL, input = ? WHERE id = ?", [
    JSON.stringify({ ...input, confirmed: true }),
    run,
  ]);
}
