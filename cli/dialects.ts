/** Dialect sheets: checked, tried, taken in. */
import { basename } from 'node:path';
import type { Command } from 'commander';
import { clientOf, outputOf } from './context.ts';
import { readText } from './files.ts';
import { out, table, raw } from './print.ts';
import { status, UsageError } from './refusals.ts';
import { answerTable } from '@zpine/contract/runTables';
import { follow, judge, summary } from './runs.ts';

interface Fault {
  line: number;
  column: number;
  place: string;
  message: string;
}

const read = readText;

function faultLines(name: string, faults: Fault[]): void {
  for (const { line, column, place, message } of faults)
    out(`${name}:${line}:${column}  ${place === '' ? '' : `${place}: `}${message}`);
  out(`${faults.length} fault${faults.length === 1 ? '' : 's'}`);
  process.exitCode = status.refused;
}

export function addDialectVerbs(noun: Command): void {
  noun
    .command('shipped')
    .description('the sheets that ship; with a name, its text')
    .argument('[name]')
    .action(async (name: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('dialect.shipped', {});
      if (name !== undefined) {
        const found = items.find((one) => one.name === name.toLowerCase());
        if (!found)
          throw new UsageError(`no sheet "${name}" ships; there are ${items.map((one) => one.name).join(', ')}`);
        return raw(found.sheet);
      }
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      out(
        table(
          ['name', 'title', 'what it is', ''],
          items.map((one) => [
            one.name,
            one.title,
            one.about,
            one.entered ? 'entered' : `zpine dialect add ${one.name}`,
          ]),
        ),
      );
    });

  noun
    .command('check')
    .description('all faults of a dialect sheet, each with line and column')
    .argument('<file>', '- for standard input')
    .action(async (file: string, _options: object, command: Command) => {
      const checked = await clientOf().call('dialect.check', { body: { sheet: read(file) } });
      if (checked.faults.length > 0) process.exitCode = status.refused;
      if (outputOf(command).json) return out(JSON.stringify(checked, null, 2));
      if (checked.faults.length > 0) return faultLines(basename(file), checked.faults);
      out(
        `${basename(file)}: ${checked.title ?? ''}, no faults; it knows the questions ${checked.questions.join(', ') || '(none)'}`,
      );
    });

  noun
    .command('try')
    .description('try a dialect sheet on a recorded session, or read-only on a device')
    .argument('<file>')
    .option('--session <file>', 'what a terminal showed: prompts, commands, answers')
    .option('--device <device>', 'a device of the records; only its reading commands are sent')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine dialect try ridge.yaml --session terminal.log\n  zpine dialect try ridge.yaml --device har-acc-1',
    )
    .action(async (file: string, options: { session?: string; device?: string }, command: Command) => {
      const body = {
        sheet: read(file),
        ...(options.session === undefined ? {} : { session: read(options.session) }),
        ...(options.device === undefined ? {} : { device: options.device }),
      };
      const result = await clientOf().call('dialect.try', { body });
      if (result.faults.length > 0) return faultLines(basename(file), result.faults);
      if (result.run !== null) {
        const run = await follow({ id: result.run });
        if (outputOf(command).json) return out(JSON.stringify(run, null, 2));
        for (const answer of run.rows[0]?.answers ?? [])
          out(
            `${answer.ask}   ${answer.refused === null ? `${answer.rows.length} rows` : `not taken: ${answer.refused}`}`,
          );
        const { heads, rows } = answerTable(run);
        out('', table(heads, rows), '');
        out(summary(run));
        return judge(run);
      }
      if (outputOf(command).json) return out(JSON.stringify(result, null, 2));
      out(
        table(
          ['', 'what', 'command', 'came of it'],
          result.tried.map((one) => [one.fits ? '●' : '✕', one.what, one.command, one.detail]),
        ),
      );
      for (const one of result.tried.filter(({ rows }) => rows.length > 0)) {
        const names = [...new Set(one.rows.flatMap((row) => Object.keys(row)))];
        out(
          '',
          one.what,
          table(
            names,
            one.rows.slice(0, 10).map((row) => names.map((name) => row[name] ?? '')),
          ),
        );
      }
      if (result.unread.length > 0) out(`\nother commands of the session\n  ${result.unread.join('\n  ')}`);
      if (result.tried.every((one) => !one.fits) || result.tried.some((one) => one.detail.startsWith('refused')))
        process.exitCode = status.refused;
    });

  noun
    .command('put')
    .description('give a dialect the sheet of a file; a new one is added')
    .argument('<dialect>')
    .argument('<file>', '- for standard input')
    .option('--reason <text>', 'why, for the history')
    .action(async (ref: string, file: string, { reason }: { reason?: string }) => {
      const client = clientOf();
      const sheet = read(file);
      const { items } = await client.list('dialect', { q: ref, limit: '500' });
      const standing = items.find((one) => one.key === ref.toLowerCase());
      if (standing) await client.edit('dialect', `#${standing.id}`, { sheet }, { reason });
      else await client.add('dialect', { name: ref, sheet }, { reason });
      out(`${ref.toLowerCase()} has the sheet of ${basename(file)}`);
    });
}
