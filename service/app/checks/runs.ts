/** Judging: by hand for a selection, and by the plan at the hour of each check. */
import { sortKey } from '@zpine/core/naming/names';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { makeRun } from '../fleet/runs.ts';
import { selected } from '../fleet/selection.ts';
import { mustFindFieldMany } from '../records/refs.ts';
import { isFor, mayBeFor } from './planned.ts';
import { forgetOthers } from './results.ts';
import type { Clock } from './turns.ts';

/** What a run keeps of a device: the checks that are for it. */
export interface CheckSeal {
  checks: number[];
}

export async function runChecks(tx: Tx, body: BodyOf<'run.check'>): Promise<RunHead> {
  const checks =
    body.checks === undefined
      ? await find(tx, 'check', {}, { order: ['sort_key'] })
      : await mustFindFieldMany(tx, 'check', body.checks, 'checks');
  if (checks.length === 0) throw new Refusal('checks-none');
  const chosen = body.devices || body.where !== undefined ? await selected(tx, body) : undefined;
  const among = chosen && new Set(chosen.devices.map(({ id }) => id));
  const perDevice = new Map<number, number[]>();
  for (const check of checks) {
    await forgetOthers(tx, check);
    add(perDevice, check, await devicesFor(tx, check), among);
  }
  if (perDevice.size === 0) throw new Refusal('checks-no-device', { checks: checks.length });
  const words = checks.length > 4 ? `${checks.length} checks` : checks.map(({ name }) => name).join(', ');
  return judging(tx, words, body.captured, checks, perDevice, chosen?.words ?? 'the devices that they are for');
}

async function devicesFor(tx: Tx, check: Stored<'check'>): Promise<number[]> {
  const { sql, values } = await isFor(tx, check);
  return idsOf(tx, sql, values);
}

const idsOf = async (tx: Tx, sql: string, values: unknown[]): Promise<number[]> =>
  (await tx.select<{ id: number }>(`SELECT id FROM device WHERE ${sql}`, values)).map(({ id }) => Number(id));

function add(
  perDevice: Map<number, number[]>,
  check: Stored<'check'>,
  devices: readonly number[],
  among: ReadonlySet<number> | undefined,
): void {
  for (const device of devices)
    if (!among || among.has(device)) perDevice.set(device, [...(perDevice.get(device) ?? []), check.id]);
}

async function judging(
  tx: Tx,
  title: string,
  captured: boolean,
  checks: readonly Stored<'check'>[],
  perDevice: Map<number, number[]>,
  words: string,
): Promise<RunHead> {
  const devices = [...(await byIds(tx, 'device', [...perDevice.keys()])).values()];
  return makeRun(tx, {
    kind: 'check',
    title: captured ? `${title}, by what is known` : title,
    input: { asks: [], expect: [], captured, checks: checks.map(({ id }) => id) },
    selected: { devices: inOrder(devices), words },
    sealed: new Map([...perDevice].map(([id, own]) => [id, JSON.stringify({ checks: own } satisfies CheckSeal)])),
  });
}

const inOrder = (devices: Stored<'device'>[]): Stored<'device'>[] =>
  devices
    .map((device) => ({ device, by: sortKey(device.key) }))
    .sort((a, b) => (a.by < b.by ? -1 : a.by > b.by ? 1 : 0))
    .map(({ device }) => device);

/** So many devices are judged by one run of the plan at most. */
const MOST = 20_000;

/** Checks whose hour has come today and that were not begun with since: each once, whoever plans. */
export async function planChecks(tx: Tx, { day, hour }: Clock): Promise<RunHead[]> {
  const due = (await find(tx, 'check', {}, { order: ['sort_key'] })).filter(
    (check) => check.hour !== null && check.hour <= hour,
  );
  if (due.length === 0) return [];
  // A row of its own for each, so that of several who plan one waits for the other.
  for (const { id } of due) await tx.execute("INSERT IGNORE INTO check_turn (check_id, day) VALUES (?, '')", [id]);
  const turns = await tx.select<{ check_id: number; day: string }>(
    'SELECT check_id, day FROM check_turn WHERE check_id IN (?) FOR UPDATE',
    [due.map(({ id }) => id)],
  );
  const done = new Map(turns.map((row) => [Number(row.check_id), row.day]));
  const open = due.filter(({ id }) => (done.get(id) ?? '') < day);
  if (open.length === 0) return [];
  await tx.execute('UPDATE check_turn SET day = ? WHERE check_id IN (?)', [day, open.map(({ id }) => id)]);
  const perDevice = new Map<number, number[]>();
  for (const check of open) {
    const found = await mayBeFor(tx, check);
    if ('fault' in found) continue;
    await forgetOthers(tx, check);
    add(perDevice, check, await idsOf(tx, found.condition.sql, found.condition.values), undefined);
  }
  const all = [...perDevice];
  const runs: RunHead[] = [];
  for (let at = 0; at < all.length; at += MOST)
    runs.push(
      await judging(
        tx,
        'Checks, as planned',
        false,
        open,
        new Map(all.slice(at, at + MOST)),
        'devices of checks that are due',
      ),
    );
  return runs;
}
