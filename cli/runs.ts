/** Runs, followed until they end; the verbs that every kind of run has. */
import type { Command } from 'commander';
import { isWell } from '@zpine/core/fleet/outcomes';
import type { RunHead, ShownRun } from '@zpine/contract/fleetShapes';
import { runKinds } from '@zpine/contract/runKinds';
import { cellsToCsv } from '@zpine/contract/csv';
import { countWords, runTable } from '@zpine/contract/runTables';
import { clientOf, outputOf } from './context.ts';
import { ago, clock, err, out, table, type Table, raw } from './print.ts';
import { outcomeText, tellRow } from './runRow.ts';
import { status, UsageError } from './refusals.ts';

export interface Selected {
  where?: string;
  reason?: string;
}

export const withDevices = (command: Command): Command =>
  command
    .option('--where <tests>', "all devices of a selection: 'site=ard dialect=furrow'")
    .option('--reason <text>', 'why, kept with the run');

export function selectionOf(devices: string[], { where }: Selected): { devices?: string[]; where?: string } {
  if (devices.length > 0 && where !== undefined) throw new UsageError('either devices or --where, not both');
  if (devices.length === 0 && where === undefined) throw new UsageError('name devices, or select some with --where');
  return where === undefined ? { devices } : { where };
}

const POLL_MS = 250;
/** For longer than this, how far it is is said. */
const QUIET_MS = 1000;

/** Waits until a run stands still, and says how far it is. */
export async function follow(run: Pick<RunHead, 'id'>): Promise<ShownRun> {
  const client = clientOf();
  const begin = Date.now();
  let told = '';
  for (;;) {
    const params = { id: String(run.id) };
    // How far it is, again and again; the rows with their texts once, at the end.
    const shown = await client.call('run.show', { params, query: { rows: 'none' } });
    if (shown.state === 'ended' || shown.state === 'previewed') {
      if (told !== '' && process.stderr.isTTY) process.stderr.write('\r\u001b[K');
      return client.call('run.show', { params, query: { text: 'true' } });
    }
    const words = `run #${run.id}: ${shown.done} of ${shown.expected} devices`;
    if (Date.now() - begin > QUIET_MS && words !== told) {
      process.stderr.write(process.stderr.isTTY ? `\r\u001b[K${words}` : `${words}\n`);
      told = words;
    }
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
  }
}

/** Expected against actual, when, and how long. */
export function summary(run: ShownRun): string {
  const begin = run.startedAt ?? run.madeAt;
  const seconds =
    run.endedAt === null ? '' : `, ${((Date.parse(run.endedAt) - Date.parse(begin)) / 1000).toFixed(1)} s`;
  const when = run.endedAt === null ? clock(begin) : `${clock(begin)} to ${clock(run.endedAt)}${seconds}`;
  const waits = run.state === 'previewed' ? `${run.toDo} to be changed` : '';
  const counts = [countWords(run.counts), waits].filter(Boolean).join(', ');
  return `${run.expected} device${run.expected === 1 ? '' : 's'}: ${counts || 'nothing yet'}   ${when}   run #${run.id}${run.ended ? `\nended early: ${run.ended}` : ''}`;
}

/** JSON and CSV are the same for all kinds; gives whether that was it. */
export function asData(run: ShownRun, command: Command): boolean {
  const { json, csv } = outputOf(command);
  if (json) out(JSON.stringify(run, null, 2));
  else if (csv) {
    const { heads, rows } = runTable(run);
    raw(cellsToCsv(heads, rows));
  }
  if (json || csv) judge(run);
  return json || csv;
}

/** Status 1 where a device did not come to what was wanted. */
export function judge(run: ShownRun): void {
  const bad = run.rows.some(
    (row) => (row.outcome !== null && !isWell(row.outcome)) || (row.answers ?? []).some((one) => one.missed.length > 0),
  );
  if (bad) process.exitCode = status.refused;
}

export const outcomeTable = (run: ShownRun): Table =>
  table(
    ['device', 'outcome', 'detail'],
    run.rows.map((row) => [
      row.device,
      outcomeText(row.outcome) || (row.state === 'done' ? '○ to do' : row.state),
      row.detail,
    ]),
  );

/** `again`: what is done with a run that waits for its number. */
export function addRuns(
  program: Command,
  again: (run: ShownRun, given: string | undefined, command: Command) => Promise<void>,
): Command {
  const noun = program.command('run').description('One execution of a reach, ask, capture, compare, errand or push.');
  noun
    .command('list')
    .description('runs, the newest first')
    .option('--kind <kind>', `one of ${runKinds.join(', ')}`)
    .option('--device <device>', 'only those that were for this device')
    .option('--limit <n>', 'maximum number of rows', '20')
    .action(async (options: { kind?: RunHead['kind']; device?: string; limit: string }, command: Command) => {
      const { items } = await clientOf().call('run.list', { query: options });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('no runs yet; zpine reach --where site=SITE is a good first one');
      out(
        table(
          ['run', 'kind', 'what', 'state', 'devices', 'outcome', 'by', 'when'],
          items.map((one) => [
            `#${one.id}`,
            one.kind,
            one.title.slice(0, 40),
            one.state,
            String(one.expected),
            countWords(one.counts) || (one.toDo > 0 ? `${one.toDo} to be changed` : ''),
            one.by,
            `${ago(one.madeAt)} ago`,
          ]),
          new Set([4]),
        ),
      );
    });
  noun
    .command('show')
    .description('a run with one row per device; with a device, everything about it')
    .argument('<run>', '#12')
    .argument('[device]')
    .action(async (ref: string, device: string | undefined, _options: object, command: Command) => {
      const id = idOf(ref);
      if (device !== undefined) {
        const row = await clientOf().call('run.row', { params: { id, device } });
        if (outputOf(command).json) return out(JSON.stringify(row, null, 2));
        return tellRow(row);
      }
      const run = await clientOf().call('run.show', { params: { id }, query: { text: 'true' } });
      if (asData(run, command)) return;
      out(outcomeTable(run));
      out('');
      out(summary(run));
    });
  noun
    .command('stop')
    .description('stop a run: devices not started yet are not touched')
    .argument('<run>')
    .action(async (ref: string) => {
      const run = await clientOf().call('run.stop', { params: { id: idOf(ref) }, body: {} });
      out(`run #${run.id}: stopped; devices not started yet are not touched`);
    });
  for (const [name, paused, about] of [
    ['pause', true, 'let a run wait: devices that are being worked on are finished, the others wait'],
    ['resume', false, 'let a run that waits go on'],
  ] as const)
    noun
      .command(name)
      .description(about)
      .argument('<run>')
      .action(async (ref: string) => {
        const run = await clientOf().call('run.pause', { params: { id: idOf(ref) }, body: { paused } });
        out(`run #${run.id} ${paused ? `waits; ${run.done} of ${run.expected} devices are done` : 'goes on'}`);
      });
  noun
    .command('retry')
    .description(
      'the same once more, for the devices that a run did not do well with; what changes them is previewed anew',
    )
    .argument('<run>')
    .option('--go <number>', 'confirm without being asked: the number of devices that are to be changed')
    .option('--reason <text>', 'why')
    .action(async (ref: string, options: { go?: string; reason?: string }, command: Command) => {
      const made = await clientOf().call('run.retry', { params: { id: idOf(ref) }, body: {}, reason: options.reason });
      await again(await follow(made), options.go, command);
    });
  return noun;
}

export const idOf = (ref: string): string => {
  const id = ref.replace(/^#/, '');
  if (!/^[0-9]{1,15}$/.test(id)) throw new UsageError(`"${ref}" is not a run: write its number, such as 12`);
  return id;
};
