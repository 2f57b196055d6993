/** What changes devices, errands and pushes alike: previewed, confirmed by the number of devices, taken back. */
import { createInterface } from 'node:readline/promises';
import type { Command } from 'commander';
import { beforeAfter } from '@zpine/contract/beforeAfter';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { takenBackKinds } from '@zpine/contract/runKinds';
import { clientOf } from './context.ts';
import { fileLines } from './fileDrift.ts';
import { outcomeText } from './runRow.ts';
import { err, out } from './print.ts';
import { UsageError } from './refusals.ts';
import { asData, follow, idOf, judge, outcomeTable, summary } from './runs.ts';

/** To `run`, which has them for both, and to `errand`, where people look for them. */
export function addGoAndBack(noun: Command): void {
  noun
    .command('go')
    .description('do an errand or a push that was previewed')
    .argument('<run>')
    .argument('<number>', 'of the devices that are to be changed')
    .action(async (ref: string, number: string, _options: object, command: Command) => {
      await go(idOf(ref), number, command);
    });
  noun
    .command('again')
    .description('begin a run again as it was typed; what changes devices is previewed')
    .argument('<run>')
    .option('--go <number>', 'confirm without being asked')
    .option('--reason <text>', 'why')
    .action(async (ref: string, options: { go?: string; reason?: string }, command: Command) => {
      const made = await clientOf().call('run.again', {
        params: { id: idOf(ref) },
        body: {},
        reason: options.reason,
      });
      await confirmed(await follow(made), options.go, command);
    });
  noun
    .command('back')
    .description('preview what takes an errand or a push back, and do it when the number is confirmed')
    .argument('<run>')
    .option('--go <number>', 'confirm without being asked')
    .option('--reason <text>', 'why')
    .action(async (ref: string, options: { go?: string; reason?: string }, command: Command) => {
      const made = await clientOf().call('run.takeBack', {
        params: { id: idOf(ref) },
        body: {},
        reason: options.reason,
      });
      await confirmed(await follow(made), options.go, command);
    });
}

export async function confirmed(run: ShownRun, given: string | undefined, command: Command): Promise<void> {
  if (run.state !== 'previewed') {
    if (asData(run, command)) return;
    out(outcomeTable(run));
    out('');
    out(summary(run));
    return judge(run);
  }
  if (given === undefined && asData(run, command)) return;
  if (given !== undefined) return go(String(run.id), given, command);
  preview(run);
  const number = await typedNumber(run.toDo);
  if (number === undefined) return err(`nothing was changed; zpine run go ${run.id} ${run.toDo}`);
  await go(String(run.id), number, command);
}

async function go(id: string, number: string, command: Command): Promise<void> {
  if (!/^[0-9]{1,6}$/.test(number)) throw new UsageError(`"${number}" is not a number of devices`);
  const run = await follow(await clientOf().call('run.go', { params: { id }, body: { count: Number(number) } }));
  if (asData(run, command)) return;
  out(outcomeTable(run));
  questions(run);
  out('');
  out(summary(run));
  if (takenBackKinds.includes(run.kind) && run.counts['brought over']) out(`to undo this: zpine run back ${id}`);
  judge(run);
}

/** Devices with the same steps together: what is there already, what would be new. */
function preview(run: ShownRun): void {
  const groups = new Map<string, string[]>();
  for (const row of run.rows) {
    const { steps = [], files = [] } = row.errand ?? {};
    const words =
      steps.length + files.length > 0 && row.outcome !== 'no contact'
        ? [
            ...steps.map((step) => {
              const sign = step.right ? '=' : step.away ? '-' : '+';
              const path = step.above.map((block) => `${block} > `).join('');
              return `  ${sign} ${path}${step.line}${step.instead === null ? '' : `   (instead of ${step.instead})`}`;
            }),
            ...fileLines(files),
            ...(row.errand?.warnings ?? []).map((words) => `  ? ${words}`),
            ...(row.outcome === 'turned down' ? [`  ${outcomeText(row.outcome)}: ${row.detail}`] : []),
          ]
        : [`  ${row.outcome === null ? '○' : `${outcomeText(row.outcome)}:`} ${row.detail}`];
    const key = words.join('\n');
    groups.set(key, [...(groups.get(key) ?? []), row.device]);
  }
  for (const [words, devices] of groups) {
    out(`${devices.length} device${devices.length === 1 ? '' : 's'}: ${namesOf(devices)}`);
    out(words);
  }
  out('');
  out(summary(run));
}

async function typedNumber(toDo: number): Promise<string | undefined> {
  if (!process.stdin.isTTY) return undefined;
  const ask = createInterface({ input: process.stdin, output: process.stderr });
  const typed = (await ask.question(`type ${toDo} to change ${toDo} device${toDo === 1 ? '' : 's'}: `)).trim();
  ask.close();
  return typed === '' ? undefined : typed;
}

function questions(run: ShownRun): void {
  for (const { question, devices, changes } of beforeAfter(run.rows)) {
    out(`\n${namesOf(devices)}   ${question}, before and after${changes.length === 0 ? ': the same' : ''}`);
    for (const line of changes) out(`  ${line}`);
  }
}

const namesOf = (devices: readonly string[]): string =>
  devices.length > 6 ? `${devices.slice(0, 5).join(', ')} and ${devices.length - 5} more` : devices.join(', ');
