/** Errands: lines for devices, previewed, confirmed by number, taken back. */
import { createInterface } from 'node:readline/promises';
import type { Command } from 'commander';
import { structuredPatch } from 'diff';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { clientOf } from './context.ts';
import { readText } from './files.ts';
import { err, out } from './print.ts';
import { UsageError } from './refusals.ts';
import { selectionWithTable } from './reaching.ts';
import { asData, follow, idOf, judge, outcomeTable, outcomeText, summary, withDevices, type Selected } from './runs.ts';

interface ErrandOptions extends Selected {
  line: string[];
  table?: string;
  by?: string;
  ask: string[];
  keep: boolean;
  everything?: boolean;
  insist?: boolean;
  device: string[];
  go?: string;
}

export function addErrands(program: Command): void {
  const list = (value: string, before: string[]): string[] => [...before, value];
  const noun = program
    .command('errand')
    .description('Some lines, once, for some devices: previewed, confirmed by number, verified, kept, captured.');
  withDevices(
    noun
      .command('run')
      .description('preview lines for devices, and do them when the number of devices is confirmed')
      .argument('[file]', 'lines as in a configuration, "- " before a line takes it away; - for standard input'),
  )
    .option('--line <line>', 'a line, instead of a file; may come again', list, [] as string[])
    .option('--device <device>', 'a device; may come again', list, [] as string[])
    .option('--table <file>', 'lines that differ from device to device: a CSV with one column or one row per device')
    .option('--by <way>', 'whether devices stand in columns or in rows; found out by itself when not given')
    .option('--ask <question>', 'a named question, asked before and after; may come again', list, [] as string[])
    .option('--no-keep', 'do not have the devices store what then runs')
    .option('--insist', 'although the service would lose its way in; needs --reason')
    .option('--everything', 'the selection may be every device there is')
    .option('--go <number>', 'confirm without being asked: the number of devices that are to be changed')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine errand run --where 'dialect=furrow' --line 'journal to 10.77.0.7'\n  zpine errand run gates.txt --where 'site=har duty=access' --ask interfaces\n  zpine errand run --table columns.csv --go 12",
    )
    .action(async (file: string | undefined, options: ErrandOptions, command: Command) => {
      if (file !== undefined && options.line.length > 0) throw new UsageError('either a file or --line, not both');
      const typed = file === undefined ? options.line.join('\n') : readText(file);
      const body = {
        ...selectionWithTable(options.device, options),
        ...(typed === '' ? {} : { lines: typed }),
        questions: options.ask,
        keep: options.keep,
        everything: options.everything === true,
        insist: options.insist === true,
      };
      const run = await follow(await clientOf().call('run.errand', { body, reason: options.reason }));
      await confirmed(run, options.go, command);
    });

  noun
    .command('go')
    .description('do an errand that was previewed')
    .argument('<run>')
    .argument('<number>', 'of the devices that are to be changed')
    .action(async (ref: string, number: string, _options: object, command: Command) => {
      await go(idOf(ref), number, command);
    });

  noun
    .command('back')
    .description('preview the errand that takes an errand back, and do it when the number is confirmed')
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

async function confirmed(run: ShownRun, given: string | undefined, command: Command): Promise<void> {
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
  if (number === undefined) return err(`nothing was changed; zpine errand go ${run.id} ${run.toDo}`);
  await go(String(run.id), number, command);
}

async function go(id: string, number: string, command: Command): Promise<void> {
  if (!/^[0-9]{1,6}$/.test(number)) throw new UsageError(`"${number}" is not a number of devices`);
  const run = await follow(await clientOf().call('run.go', { params: { id }, body: { count: Number(number) } }));
  if (asData(run, command)) return;
  out(outcomeTable(run));
  for (const row of run.rows) questions(row);
  out('');
  out(summary(run));
  if (run.counts['brought over']) out(`to undo this: zpine errand back ${id}`);
  judge(run);
}

/** Devices with the same steps together: what is there already, what would be new. */
function preview(run: ShownRun): void {
  const groups = new Map<string, string[]>();
  for (const row of run.rows) {
    const steps = row.errand?.steps;
    const words =
      steps && row.outcome !== 'no contact'
        ? steps.map((step) => {
            const sign = step.right ? '=' : step.away ? '-' : '+';
            const path = step.above.map((block) => `${block} > `).join('');
            return `  ${sign} ${path}${step.line}${step.instead === null ? '' : `   (instead of ${step.instead})`}`;
          })
        : [`  ${outcomeText(row.outcome)}: ${row.detail}`];
    const key = words.join('\n');
    groups.set(key, [...(groups.get(key) ?? []), row.device]);
  }
  for (const [words, devices] of groups) {
    const names =
      devices.length > 6 ? `${devices.slice(0, 5).join(', ')} and ${devices.length - 5} more` : devices.join(', ');
    out(`${devices.length} device${devices.length === 1 ? '' : 's'}: ${names}`);
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

function questions({ device, errand }: ShownRun['rows'][number]): void {
  for (const { question, before, after } of errand?.questions ?? []) {
    if (after === null) continue;
    const lines = structuredPatch('', '', before, after, '', '', { context: 0 }).hunks.flatMap((hunk) => hunk.lines);
    out(`\n${device}   ${question}, before and after${lines.length === 0 ? ': the same' : ''}`);
    for (const line of lines.filter((one) => !one.startsWith('\\'))) out(`  ${line}`);
  }
}
