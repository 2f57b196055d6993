/** Checks: judged now, what they found, how it was before, a report, the set that ships. */
import { writeFileSync } from 'node:fs';
import { Option, type Command } from 'commander';
import { cellsToCsv } from '@zpine/contract/csv';
import { fewOf, foundAlike, resultsTable, unknownsOf, type Foldable } from '@zpine/contract/checkFolding';
import { reportHtml, reportSentence } from '@zpine/contract/checkReport';
import {
  shownStates,
  stateWords,
  type CheckCounts,
  type ShownResult,
  type ShownState,
} from '@zpine/contract/checkShapes';
import { clientOf, outputOf } from './context.ts';
import { readText } from './files.ts';
import { ago, err, out, raw, table } from './print.ts';
import { UsageError } from './refusals.ts';
import { asData, follow, judge, summary, withDevices, type Selected } from './runs.ts';

const glyphs: Record<ShownState, string> = { holds: '●', broken: '✕', unknown: '◌', excepted: '–' };
const shown = (state: ShownState): string => `${glyphs[state]} ${stateWords[state]}`;

export function addCheckVerbs(noun: Command): void {
  const list = (value: string, before: string[]): string[] => [...before, value];
  withDevices(
    noun
      .command('run')
      .description('judge checks now, on the devices that they are for; asks them only what the checks ask for')
      .argument('[check...]', 'some of them; left out: all'),
  )
    .option('--device <device>', 'a device; may come again', list, [] as string[])
    .option('--captured', 'by records and last captures, without asking the devices')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine check run\n  zpine check run time-servers kept --where 'site=ard'\n  zpine check run --device ard-acc-1",
    )
    .action(run);
  noun
    .command('results')
    .description('what was found last, what does not hold first')
    .argument('[check]')
    .option('--device <device>', 'of this device')
    .option('--where <tests>', 'of the devices of a selection')
    .addOption(new Option('--state <state>', 'only those that are so').choices(shownStates))
    .option('--limit <number>', 'so many at most', '500')
    .action(results);
  noun
    .command('report')
    .description('all checks with their counts, and what does not hold; with --into a page to print')
    .option('--where <tests>', 'of the devices of a selection')
    .option('--into <file>', 'write it as one page of HTML')
    .action(report);
  noun
    .command('past')
    .description('when a check held, and when it did not')
    .argument('<check>')
    .option('--device <device>', 'on this device')
    .action(past);
  noun
    .command('try')
    .description('look at the text of a check, and try it on a device by what is known of it; nothing is saved')
    .argument('<file>', 'the text; - for standard input; or the name of a check')
    .argument('<device>')
    .action(tryOut);
  noun
    .command('put')
    .description('give a check the text of a file; a new one is added')
    .argument('<check>')
    .argument('<file>', '- for standard input')
    .option('--title <title>', 'what has to hold; a new one needs it')
    .option('--devices <tests>', 'for the devices of a selection')
    .option('--severity <severity>', 'failure, attention or remark')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      "\nExample:\n  zpine check put uplink-described uplink.pine --title 'Its uplink says where it leads' --devices duty=access",
    )
    .action(put);
  noun
    .command('text')
    .description('the text of a check, as it is')
    .argument('<check>')
    .action(async (ref: string) => raw((await clientOf().show('check', ref)).source));
  noun
    .command('take-shipped')
    .description('enter the checks that ship')
    .argument('[check...]', 'some of them; left out: all')
    .option('--hour <hour>', 'judge them every day at this hour')
    .option('--list', 'only say which there are')
    .action(takeShipped);
}

interface RunOptions extends Selected {
  device: string[];
  captured?: boolean;
}

async function run(checks: string[], options: RunOptions, command: Command): Promise<void> {
  if (options.device.length > 0 && options.where !== undefined)
    throw new UsageError('either --device or --where, not both');
  const body = {
    ...(checks.length > 0 ? { checks } : {}),
    ...(options.device.length > 0 ? { devices: options.device } : {}),
    ...(options.where === undefined ? {} : { where: options.where }),
    captured: options.captured === true,
  };
  const done = await follow(await clientOf().call('run.check', { body, reason: options.reason }));
  if (asData(done, command)) return;
  const judged = done.rows.flatMap((row) => (row.judged ?? []).map((one) => ({ ...one, device: row.device })));
  const rows = foundAlike(judged).flatMap(({ first: { check, state, findings }, devices }) =>
    findings.map((line, i) => (i === 0 ? [fewOf(devices), check, shown(state), line] : ['', '', '', line])),
  );
  if (rows.length > 0) out(table(['device', 'check', 'state', 'found'], rows), '');
  tellUnknown(judged);
  for (const row of done.rows) if (row.judged === undefined) out(`${row.device}: ${row.outcome ?? ''}: ${row.detail}`);
  out(summary(done));
  judge(done);
}

function tellUnknown(all: readonly Foldable[]): void {
  const rows = unknownsOf(all).map(({ why, checks, devices }) => [fewOf(checks), fewOf(devices), why]);
  if (rows.length > 0) out(table(['not known', 'on', 'because'], rows), '');
}

const foundOf = ({ findings, why, until, because }: ShownResult): string[] => [
  ...(findings.length > 0 ? findings : why === '' ? [''] : [why]),
  ...(until === null ? [] : [`excepted until ${until}: ${because ?? ''}`]),
];

const RESULT_HEADS = ['device', 'check', 'state', 'found', 'since', 'remedy'];

const resultRows = (items: readonly ShownResult[]): string[][] =>
  items.flatMap((one) =>
    foundOf(one).map((line, i) =>
      i === 0
        ? [one.device, one.check, shown(one.state), line, ago(one.since), one.command]
        : ['', '', '', line, '', ''],
    ),
  );

async function results(
  check: string | undefined,
  options: { device?: string; where?: string; state?: ShownState; limit: string },
  command: Command,
): Promise<void> {
  const { device, where, state, limit } = options;
  const found = await clientOf().call('check.results', {
    query: {
      limit,
      ...(check === undefined ? {} : { check }),
      ...(device === undefined ? {} : { device }),
      ...(where === undefined ? {} : { where }),
      ...(state === undefined ? {} : { state }),
    },
  });
  if (outputOf(command).json) return out(JSON.stringify(found.items, null, 2));
  if (outputOf(command).csv) {
    const { heads, rows } = resultsTable(found.items);
    return raw(cellsToCsv(heads, rows));
  }
  if (found.items.length === 0)
    return out(
      check === undefined && device === undefined && where === undefined && state === undefined
        ? 'nothing was judged yet: zpine check run'
        : 'nothing of that was found',
    );
  out(table(RESULT_HEADS, resultRows(found.items)));
  if (found.more) err(`there are more; say --limit, or narrow it`);
}

const countRow = (one: CheckCounts): string[] => [
  one.check,
  one.title,
  String(one.devices),
  String(one.holds),
  String(one.broken),
  String(one.unknown + one.unjudged),
  String(one.excepted),
  one.fault ?? (one.judgedAt === null ? 'never' : ago(one.judgedAt)),
];

async function report(options: { where?: string; into?: string }, command: Command): Promise<void> {
  const where = options.where === undefined ? {} : { where: options.where };
  const client = clientOf();
  const { items: counts } = await client.call('check.counts', { query: where });
  const results: ShownResult[] = [];
  let more = false;
  for (const state of shownStates.filter((one) => one !== 'holds')) {
    const found = await client.call('check.results', { query: { ...where, state, limit: '20000' } });
    results.push(...found.items);
    more ||= found.more;
  }
  const at = new Date().toISOString();
  if (outputOf(command).json) return out(JSON.stringify({ counts, results }, null, 2));
  if (options.into !== undefined) {
    writeFileSync(options.into, reportHtml({ counts, results, at, where: options.where ?? '', more }));
    return err(
      `${options.into}: ${counts.length} checks, ${results.length} devices on which they do not hold, or not for certain`,
    );
  }
  if (counts.length === 0) return out('there is no check yet: zpine check take-shipped enters those that ship');
  const heads = ['check', 'what has to hold', 'devices', 'hold', 'do not', 'not known', 'excepted', 'judged'];
  out(table(heads, counts.map(countRow), new Set([2, 3, 4, 5, 6])));
  const told = foundAlike(results).map(({ first, devices }) => ({
    ...first,
    device: fewOf(devices),
    command: devices.length === 1 ? first.command : `zpine check results ${first.check} --state ${first.state}`,
  }));
  if (told.length > 0) out('', table(RESULT_HEADS, resultRows(told)));
  out('');
  tellUnknown(results);
  out(reportSentence({ counts }));
}

async function past(check: string, { device }: { device?: string }, command: Command): Promise<void> {
  const query = { check, ...(device === undefined ? {} : { device }) };
  const { items } = await clientOf().call('check.past', { query });
  if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
  if (items.length === 0) return out(`${check} was not judged yet`);
  out(
    table(
      ['when', 'device', 'state', 'found'],
      items.map((one) => [ago(one.at), one.device, shown(one.state), one.findings.join('; ') || one.why]),
    ),
  );
}

async function tryOut(file: string, device: string, _options: object, command: Command): Promise<void> {
  const client = clientOf();
  const isName = file !== '-' && /^[a-z0-9][a-z0-9._-]*$/.test(file) && !file.includes('.');
  const source = isName ? (await client.show('check', file)).source : readText(file);
  const tried = await client.call('check.try', { body: { source, device } });
  if (outputOf(command).json) return out(JSON.stringify(tried, null, 2));
  for (const fault of tried.faults)
    out(`line ${fault.line}, column ${fault.column}: ${fault.message}${fault.hint ? `; ${fault.hint}` : ''}`);
  if (tried.state === null) {
    process.exitCode = 1;
    return;
  }
  for (const line of tried.findings) out(line);
  out(`${device}: ${shown(tried.state)}${tried.why === '' ? '' : `: ${tried.why}`}`);
  if (tried.questions.length > 0) out(`zpine check run asks the device for: ${tried.questions.join(', ')}`);
}

async function put(
  name: string,
  file: string,
  { reason, ...fields }: Partial<Record<'title' | 'devices' | 'severity' | 'reason', string>>,
): Promise<void> {
  const client = clientOf();
  const source = readText(file);
  const { items } = await client.list('check', { q: name, limit: '500' });
  const standing = items.find(({ key }) => key === name.toLowerCase());
  if (!standing && fields.title === undefined)
    throw new UsageError(`${name} is new: say what has to hold, with --title`);
  if (standing) await client.edit('check', `#${standing.id}`, { source, ...fields }, { reason });
  else await client.add('check', { name, source, ...fields }, { reason });
  out(`${standing ? 'edited' : 'added'} check ${name}; to judge it: zpine check run ${name}`);
}

async function takeShipped(
  checks: string[],
  options: { hour?: string; list?: boolean },
  command: Command,
): Promise<void> {
  const client = clientOf();
  if (options.list) {
    const { items } = await client.call('check.shipped');
    if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
    return out(
      table(
        ['check', 'what has to hold', ''],
        items.map((one) => [one.name, one.title, one.entered ? 'entered' : '']),
      ),
    );
  }
  const { added, standing } = await client.call('check.takeShipped', {
    body: {
      ...(checks.length > 0 ? { checks } : {}),
      ...(options.hour === undefined ? {} : { hour: Number(options.hour) }),
    },
  });
  if (outputOf(command).json) return out(JSON.stringify({ added, standing }, null, 2));
  out(`${added.length} entered${standing.length > 0 ? `, ${standing.length} stood already and were left alone` : ''}`);
  if (added.length > 0) out('to judge them: zpine check run');
}
