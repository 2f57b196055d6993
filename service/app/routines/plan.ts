/** Routines whose hour has come: each once a day, whoever plans. */
import { Refusal, problemOf } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { Clock } from '../checks/turns.ts';
import { makeRun } from '../fleet/runs.ts';
import { carryOut } from './run.ts';

export async function planRoutines(tx: Tx, { day, hour }: Clock): Promise<RunHead[]> {
  const due = (await find(tx, 'routine', {}, { order: ['sort_key'] })).filter(
    (routine) => routine.hour !== null && routine.hour <= hour,
  );
  if (due.length === 0) return [];
  for (const { id } of due) await tx.execute("INSERT IGNORE INTO routine_turn (routine_id, day) VALUES (?, '')", [id]);
  const turns = await tx.select<{ routine_id: number; day: string }>(
    'SELECT routine_id, day FROM routine_turn WHERE routine_id IN (?) FOR UPDATE',
    [due.map(({ id }) => id)],
  );
  const done = new Map(turns.map((row) => [Number(row.routine_id), row.day]));
  const open = due.filter(({ id }) => (done.get(id) ?? '') < day);
  if (open.length === 0) return [];
  await tx.execute('UPDATE routine_turn SET day = ? WHERE routine_id IN (?)', [day, open.map(({ id }) => id)]);
  const runs: RunHead[] = [];
  for (const routine of open) runs.push(await begun(tx, routine));
  return runs;
}

/** What could not be begun is a run that says why: nobody was there to hear it. */
async function begun(tx: Tx, routine: Stored<'routine'>): Promise<RunHead> {
  const body = { blanks: {}, keep: true, everything: true, insist: false };
  try {
    return await carryOut(tx, routine, body, { most: routine.most });
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    const { id, ...head } = await makeRun(tx, {
      kind: routine.does === 'ask' ? 'ask' : 'errand',
      title: `${routine.key}: ${routine.title}`,
      input: { asks: [], expect: [] },
      selected: { devices: [], words: routine.devices ?? '' },
    });
    const now = await tx.now();
    await tx.execute("UPDATE run SET state = 'ended', started_at = ?, ended_at = ?, ended = ? WHERE id = ?", [
      now,
      now,
      problemOf(error).detail.slice(0, 500),
      id,
    ]);
    return { id, ...head };
  }
}
