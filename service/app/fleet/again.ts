/** A run that is begun again as it was typed: the same selection, lines, questions, table. */
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { runChecks } from '../checks/runs.ts';
import { upgrade } from '../images/upgrade.ts';
import { runRoutine } from '../routines/run.ts';
import { ask, captureNow, compare, reach } from './asks.ts';
import { errand } from './errands.ts';
import { operate } from './operations.ts';
import { push } from './pushes.ts';
import { runRow } from './runs.ts';

/** What begins a run of a selection. */
const begins = {
  'run.reach': reach,
  'run.capture': captureNow,
  'run.compare': compare,
  'run.ask': ask,
  'run.errand': errand,
  'run.push': push,
  'run.operation': operate,
  'run.check': runChecks,
  'run.upgrade': upgrade,
  'routine.run': runRoutine,
};
export type Beginning = keyof typeof begins;

interface Typed<Call extends Beginning = Beginning> {
  call: Call;
  body: BodyOf<Call>;
  /** The record that is named in the path, where there is one. */
  ref?: string;
}

/** Begins it, and remembers how it was typed. */
export async function beginRun<Call extends Beginning>(
  tx: Tx,
  call: Call,
  body: BodyOf<Call>,
  ref?: string,
): Promise<RunHead> {
  const begin = begins[call] as (tx: Tx, body: BodyOf<Call>, ref?: string) => Promise<RunHead>;
  const head = await begin(tx, body, ref);
  const typed: Typed<Call> = { call, body, ...(ref === undefined ? {} : { ref }) };
  await tx.execute('UPDATE run SET typed = ? WHERE id = ?', [tx.sealer.seal(JSON.stringify(typed)), head.id]);
  return head;
}

/** Whoever insisted once has to give a reason again. */
export async function again(tx: Tx, id: string): Promise<RunHead> {
  const { id: run } = await runRow(tx, id);
  const row = await tx.one<{ typed: string | null }>('SELECT typed FROM run WHERE id = ?', [run]);
  if (row?.typed === undefined || row.typed === null) throw new Refusal('run-not-typed', { id: run });
  const { call, body, ref } = JSON.parse(tx.sealer.open(row.typed)) as Typed;
  return beginRun(tx, call, body, ref);
}
