/** Errands: lines for devices, previewed, confirmed by number, taken back. */
import type { Command } from 'commander';
import type { BodyIn } from '@zpine/contract/routes';
import { careOf, withCare, type CareOptions } from './careful.ts';
import { clientOf } from './context.ts';
import { readText } from './files.ts';
import { UsageError } from './refusals.ts';
import { selectionWithTable } from './asking.ts';
import { addGoAndBack, confirmed } from './changing.ts';
import { follow } from './runs.ts';

interface ErrandOptions extends CareOptions {
  line: string[];
  table?: string;
  by?: string;
  away?: boolean;
  secretsFrom?: string;
  device: string[];
}

export function addErrands(program: Command): void {
  const list = (value: string, before: string[]): string[] => [...before, value];
  const noun = program
    .command('errand')
    .description('Some lines, once, for some devices: previewed, confirmed by number, verified, kept, captured.');
  withCare(
    noun
      .command('run')
      .description('preview lines for devices, and do them when the number of devices is confirmed')
      .argument('[file]', 'lines as in a configuration, "- " before a line takes it away; - for standard input'),
  )
    .option('--line <line>', 'a line, instead of a file; may come again', list, [] as string[])
    .option('--device <device>', 'a device; may come again', list, [] as string[])
    .option('--table <file>', 'lines that differ from device to device: a CSV with one column or one row per device')
    .option('--by <way>', 'whether devices stand in columns or in rows; found out by itself when not given')
    .option(
      '--secrets-from <where>',
      'dots in the lines stand for what a capture has there, by its number, or an edition: har-acc-1/3',
    )
    .option('--away', 'take away what the lines say, wherever it stands')
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
        ...careOf(options),
        away: options.away === true,
        ...secretsFrom(options.secretsFrom),
      };
      const run = await follow(await clientOf().call('run.errand', { body, reason: options.reason }));
      await confirmed(run, options.go, command);
    });
  addGoAndBack(noun);
}

/** `12` is a capture, `har-acc-1/3` the third edition of a device. */
function secretsFrom(said: string | undefined): Pick<BodyIn<'run.errand'>, 'secretsFrom' | 'secretsFromEdition'> {
  if (said === undefined) return {};
  const [, device, number] = /^(.+)\/(\d+)$/.exec(said) ?? [];
  if (device !== undefined) return { secretsFromEdition: { device, number: Number(number) } };
  if (!/^#?\d+$/.test(said))
    throw new UsageError('--secrets-from takes the number of a capture, or DEVICE/NUMBER of an edition');
  return { secretsFrom: Number(said.replace('#', '')) };
}
