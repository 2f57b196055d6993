/** Compare, push and drift: what devices should run, what they run, and how they are brought there. */
import type { Command } from 'commander';
import { differenceText } from '@zpine/core/config/compare';
import type { ShownComparison, ShownDrift } from '@zpine/contract/driftShapes';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import type { ReplyOf } from '@zpine/contract/routes';
import { confirmed } from './changing.ts';
import { careOf, withCare, type CareOptions } from './careful.ts';
import { clientOf, outputOf } from './context.ts';
import { fileLines } from './fileDrift.ts';
import { ago, out, table } from './print.ts';
import { UsageError } from './refusals.ts';
import { asData, follow, judge, outcomeTable, selectionOf, summary, withDevices, type Selected } from './runs.ts';

/** So many differing lines of a device are printed; `--all` prints them all. */
const MOST_LINES = 12;

export function addComparing(program: Command): void {
  withDevices(
    program
      .command('compare')
      .description('what devices run, and what they have stored, against their published editions')
      .argument('[device...]'),
  )
    .option('--captured', 'by their last captures, without asking the devices')
    .option('--all', 'every line that differs')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine compare ard-acc-1\n  zpine compare --where 'site=ard duty=access'\n  zpine compare --where 'stage=serving' --captured",
    )
    .action(compare);

  withCare(
    program
      .command('push')
      .description(
        'bring devices to their published editions with the smallest set of lines: previewed, confirmed, verified, kept',
      )
      .argument('[device...]'),
  )
    .option('--secrets', 'send secrets, too, that a device does not show well enough to say whether they are right')
    .option('--stale', 'editions, too, whose inputs have changed since they were made')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine push ard-acc-1\n  zpine push --where 'site=ard duty=access' --ask interfaces --go 12",
    )
    .action(push);

  const noun = program
    .command('drift')
    .description(
      'who does not run what it should, those with the same difference together; with a device, its differences',
    )
    .argument('[device]')
    .option('--where <tests>', 'only devices of a selection')
    .option('--stored', 'instead: whose running configuration is not what is stored')
    .option('--all', 'every line that differs')
    .action(drift);
  noun
    .command('take')
    .description(
      'turn what a device runs otherwise into its description: lists what each difference would mean, takes over those that are named',
    )
    .argument('<device>')
    .argument('[difference...]', 'by their short names in the list')
    .option('--every', 'all that can be taken over')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExamples:\n  zpine drift take ard-acc-1\n  zpine drift take ard-acc-1 3f2a1b --preview')
    .action(take);
}

async function take(
  device: string,
  named: string[],
  options: { every?: boolean; reason?: string },
  command: Command,
): Promise<void> {
  const client = clientOf();
  const params = { ref: device };
  const { items } = await client.call('drift.means', { params });
  const able = items.filter(({ means, why }) => means.length > 0 && why === undefined);
  if (named.length === 0 && !options.every) {
    if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
    if (items.length === 0) return out(`${device} runs what its records say`);
    out(
      table(
        ['', 'difference', 'would mean'],
        items.map(({ id, difference, means, why }) => [
          why === undefined ? id : '–',
          differenceText(difference),
          why === undefined ? means.join('; ') : `not to be taken over: ${why}`,
        ]),
      ),
    );
    if (able.length > 0) out(`\nto take one over: zpine drift take ${device} ${able[0]?.id ?? ''}`);
    return;
  }
  const wanted = options.every ? able.map(({ id }) => id) : named.map((name) => idAmong(items, name));
  if (wanted.length === 0) return out('nothing of it can be taken over');
  const { taken } = await client.call('drift.takeOver', { params, body: { take: wanted }, reason: options.reason });
  for (const line of taken) out(line);
  out(`to make the edition that has it: zpine edition make ${device}`);
}

/** The beginning of a name is enough, where only one begins so. */
function idAmong(items: readonly { id: string }[], name: string): string {
  const fits = items.filter(({ id }) => id.startsWith(name));
  if (fits.length !== 1 || !fits[0])
    throw new UsageError(`"${name}" is ${fits.length === 0 ? 'none' : 'several'} of the differences`);
  return fits[0].id;
}

/** Of `device`: what is neither a question nor configuration. */
export function addOperations(noun: Command): void {
  const act = (operation: 'restart' | 'wipe', about: string): Command =>
    withDevices(noun.command(operation).description(about).argument('[device...]'))
      .option('--everything', 'the selection may be every device there is')
      .option('--go <number>', 'confirm without being asked: the number of devices')
      .action(async (devices: string[], options: OperationOptions, command: Command) => {
        const body = {
          ...selectionOf(devices, options),
          operation,
          everything: options.everything === true,
          insist: options.insist === true,
          ...(options.window === undefined ? {} : { hours: mustBeHours(options.window) }),
        };
        const run = await follow(await clientOf().call('run.operation', { body, reason: options.reason }));
        await confirmed(run, options.go, command);
      });
  act('restart', 'restart devices: says what is not stored, asks by number, and waits until they are back').option(
    '--insist',
    'although what is stored would not let the service in; needs --reason',
  );
  act('wipe', 'empty the memory of devices and restart them, so that they boot without a configuration').option(
    '--window <hours>',
    'open an arrival window of so many hours, so that they boot from here',
  );
}

interface OperationOptions extends Selected {
  insist?: boolean;
  everything?: boolean;
  go?: string;
  window?: string;
}

function mustBeHours(text: string): number {
  const hours = Number(text);
  if (!(hours > 0)) throw new UsageError(`"${text}" is not a number of hours`);
  return hours;
}

async function compare(
  devices: string[],
  options: Selected & { captured?: boolean; all?: boolean },
  command: Command,
): Promise<void> {
  const body = { ...selectionOf(devices, options), captured: options.captured === true };
  const run = await follow(await clientOf().call('run.compare', { body, reason: options.reason }));
  if (asData(run, command)) return;
  out(outcomeTable(run));
  const differing = run.rows.filter((row) => row.compared?.comparison && !row.compared.comparison.matches);
  for (const row of differing) {
    out(`\n${row.device}   edition ${row.compared?.edition ?? ''}`);
    differences(row.compared?.comparison ?? null, options.all === true);
  }
  out('');
  out(summary(run));
  if (differing.length > 0)
    out(`to bring ${oneOrAll(differing)} to the edition: zpine push ${selectionWords(differing, options)}`);
  judge(run);
}

const oneOrAll = (rows: readonly unknown[]): string => (rows.length === 1 ? 'it' : 'them');
const selectionWords = (rows: ShownRun['rows'], { where }: Selected): string =>
  rows.length > 5 && where !== undefined ? `--where '${where}'` : rows.map((row) => row.device).join(' ');

function differences(comparison: ShownComparison | null, all: boolean): void {
  if (!comparison) return;
  const lines = comparison.differences.map((one) => `  ${differenceText(one)}   (${one.part})`);
  for (const line of all ? lines : lines.slice(0, MOST_LINES)) out(line);
  if (!all && lines.length > MOST_LINES) out(`  and ${lines.length - MOST_LINES} more; --all shows them`);
  for (const line of fileLines(comparison.files, all ? Infinity : MOST_LINES)) out(line);
  for (const { above, line } of comparison.notComparable) out(`  not comparable: ${[...above, line].join(' > ')}`);
}

interface PushOptions extends CareOptions {
  secrets?: boolean;
  stale?: boolean;
}

async function push(devices: string[], options: PushOptions, command: Command): Promise<void> {
  const body = {
    ...selectionOf(devices, options),
    ...careOf(options),
    stale: options.stale === true,
    secrets: options.secrets === true,
  };
  const run = await follow(await clientOf().call('run.push', { body, reason: options.reason }));
  await confirmed(run, options.go, command);
}

async function drift(
  device: string | undefined,
  options: { where?: string; stored?: boolean; all?: boolean },
  command: Command,
): Promise<void> {
  if (device !== undefined) {
    if (options.where !== undefined) throw new UsageError('either a device or --where, not both');
    return driftOf(device, options.all === true, command);
  }
  const found = await clientOf().call('drift.list', {
    query: {
      of: options.stored ? 'stored' : 'edition',
      ...(options.where === undefined ? {} : { where: options.where }),
    },
  });
  if (outputOf(command).json) return out(JSON.stringify(found, null, 2));
  for (const group of found.groups) groupText(group, options.all === true);
  out(totals(found, options.stored === true));
}

function groupText(group: ReplyOf<'drift.list'>['groups'][number], all: boolean): void {
  const { devices, count, lines, parts, since, differences: told } = group;
  const named = count > 6 ? `${devices.slice(0, 5).join(', ')} and ${count - 5} more` : devices.join(', ');
  out(`${count} device${count === 1 ? '' : 's'}: ${named}`);
  out(
    `  ${lines} line${lines === 1 ? '' : 's'}${parts.length > 0 ? ` in ${parts.join(', ')}` : ''}, since ${ago(since)}`,
  );
  for (const one of all ? told : told.slice(0, MOST_LINES)) out(`  ${differenceText(one)}`);
  if (!all && told.length > MOST_LINES) out(`  and ${told.length - MOST_LINES} more; --all shows them`);
  for (const line of fileLines(group.files, all ? Infinity : MOST_LINES)) out(line);
  out('');
}

function totals({ count, compared, more }: ReplyOf<'drift.list'>, stored: boolean): string {
  if (compared === 0) return 'no device was compared yet; zpine compare --where stage=serving';
  const [well, ill] = stored
    ? ['have stored what they run', 'have not stored what they run']
    : ['run what they should', 'do not run what they should'];
  if (count === 0 && compared === 1)
    return `the one compared device ${stored ? 'has stored what it runs' : 'runs what it should'}`;
  if (count === 0) return `all ${compared} compared devices ${well}`;
  return `${count} of ${compared} compared devices ${ill}${more ? '; only the largest groups are shown' : ''}`;
}

async function driftOf(device: string, all: boolean, command: Command): Promise<void> {
  const { drift: found } = await clientOf().call('drift.show', { params: { ref: device } });
  if (outputOf(command).json) return out(JSON.stringify(found, null, 2));
  if (!found) return out(`${device} was never compared; zpine compare ${device}`);
  out(`${found.device}   ${driftWords(found)}`);
  differences(found.comparison, all);
  if (found.comparison) {
    out('');
    out(
      table(
        ['part', 'right', 'differs', 'not comparable'],
        found.comparison.parts.map((part) => [
          part.name,
          String(part.right),
          String(part.differs),
          String(part.notComparable),
        ]),
        new Set([1, 2, 3]),
      ),
    );
    out(`${found.elsewhere} line${found.elsewhere === 1 ? '' : 's'} of no part of ours, left alone`);
  }
  for (const one of found.stored.slice(0, all ? undefined : MOST_LINES))
    out(`  ${one.kind === 'extra' ? 'stored alone' : 'not stored'}: ${[...one.above, one.line].join(' > ')}`);
  if (found.lines > 0) out(`\nto bring it to the edition: zpine push ${found.device}`);
}

/** `differs from edition 3 in 2 lines since 3 h`. */
export function driftWords(found: ShownDrift): string {
  const said: string[] = [];
  const lines = (n: number) => `${n} line${n === 1 ? '' : 's'}`;
  if (found.edition === null) said.push('no edition to hold it against');
  else if (found.lines === 0) said.push(`runs edition ${found.edition}`);
  else
    said.push(
      `differs from edition ${found.edition} in ${lines(found.lines)} since ${ago(found.since ?? found.comparedAt)}`,
    );
  if (found.edition !== null && found.published !== null && found.published !== found.edition)
    said.push(`edition ${found.published} is published since`);
  if (found.notComparable > 0) said.push(`${lines(found.notComparable)} not comparable`);
  if (found.unkept !== null && found.unkept > 0)
    said.push(`${lines(found.unkept)} of it not stored since ${ago(found.unkeptSince ?? found.comparedAt)}`);
  return `${said.join(', ')}   (compared ${ago(found.comparedAt)} ago)`;
}
