/** Batches: their window, their board and report, the table that they begin with; and what prepares many devices. */
import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { span } from '@zpine/core/text/span';
import { MOST_PREPARED, type Board, type Prepared } from '@zpine/contract/batchRoutes';
import type { ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf } from './context.ts';
import { withSelection, type Selection } from './each.ts';
import { readText } from './files.ts';
import { err, moment, out, raw, refusedWord, table } from './print.ts';
import { wanted } from './prompt.ts';
import { status, UsageError } from './refusals.ts';
import { hoursIn } from './windows.ts';

const POLL_MS = 2000;

export function addBatchVerbs(noun: Command): void {
  noun
    .command('open')
    .description('say when its window opens, and for how long; those of its devices open with it by themselves')
    .argument('<batch>')
    .option('--at <time>', 'from when: 22:00, which is the next one, or "2026-12-04 22:00"; left out: now')
    .option('--for <hours>', 'for so long', '6')
    .option('--reason <text>', 'why')
    .addHelpText('after', '\nExample:\n  zpine batch open ardle-friday --at 22:00 --for 6')
    .action(async (ref: string, options: { at?: string; for: string; reason?: string }, command: Command) => {
      const body = { hours: hoursIn('--for', options.for), ...(options.at === undefined ? {} : { at: options.at }) };
      tell(await clientOf().call('batch.open', { params: { ref }, body, reason: options.reason }), command);
    });
  noun
    .command('close')
    .description('end a batch now: its windows close, and its report is kept')
    .argument('<batch>')
    .option('--reason <text>', 'why')
    .action(async (ref: string, { reason }: { reason?: string }, command: Command) =>
      tell(await clientOf().call('batch.close', { params: { ref }, reason }), command),
    );
  noun
    .command('board')
    .description('how its devices stand, trouble first; once it ended, its report')
    .argument('<batch>')
    .option('--now', 'as it stands now, though a report is kept')
    .option('--watch', 'again and again, until it ends')
    .action(async (ref: string, options: { now?: boolean; watch?: boolean }, command: Command) => {
      const query = options.now === true ? { now: 'true' as const } : {};
      for (;;) {
        const board = await clientOf().call('batch.board', { params: { ref }, query });
        tell(board, command);
        if (options.watch !== true || board.endedAt !== null) return;
        await new Promise((resolve) => setTimeout(resolve, POLL_MS));
        out('');
      }
    });
  for (const [verb, turn, about] of [
    ['hold', 'held', 'let devices of it wait: their windows close'],
    ['go-on', 'in', 'let devices that were held or left out take part again'],
    ['anew', 'anew', 'let the arrivals of devices begin anew'],
    ['leave-out', 'left out', 'leave devices out; the report says why'],
  ] as const)
    noun
      .command(verb)
      .description(about)
      .argument('<batch>')
      .argument('<device...>')
      .option('--why <text>', 'for the report')
      .action(async (ref: string, devices: string[], { why }: { why?: string }, command: Command) => {
        const body = { devices, turn, ...(why === undefined ? {} : { why }) };
        tell(await clientOf().call('batch.turn', { params: { ref }, body }), command);
      });
  noun
    .command('table')
    .description('take in a table with a row a switch; empty cells are worked out')
    .argument('<batch>')
    .argument('<file>', 'CSV, or - for standard input')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why; puts in a box that the records have as faulty, or in place of a sound one')
    .addHelpText(
      'after',
      '\nColumns: serial, mac, name, duty, model, site, rack, positionU, face, labels, template, note, address; any other\nhead is the name of a setting. The empty form: zpine batch form BATCH',
    )
    .action(takeTable);
  noun
    .command('form')
    .description('the table of a batch to be filled in: what is known stands in it')
    .argument('<batch>')
    .option('--to <file>', 'save it there')
    .action(async (ref: string, { to }: { to?: string }) => {
      const form = await clientOf().call('batch.form', { params: { ref } });
      if (to === undefined) return raw(form.text);
      writeFileSync(to, form.text);
      out(`${to}: ${form.rows} rows`);
    });
}

async function takeTable(
  ref: string,
  file: string,
  { yes, reason }: { yes?: boolean; reason?: string },
  command: Command,
): Promise<void> {
  const text = readText(file);
  const ask = (apply: boolean) =>
    clientOf().call('batch.table', { params: { ref }, body: { text, apply }, reason: apply ? reason : undefined });
  const seen = await ask(false);
  if (seen.faults.length > 0) {
    if (outputOf(command).json) out(JSON.stringify(seen, null, 2));
    else tellFaults(file, seen);
    process.exitCode = status.refused;
    return;
  }
  if (!outputOf(command).json) tellRows(seen);
  const words = `${seen.rows} row${seen.rows === 1 ? '' : 's'}`;
  if (!(await wanted(`save ${words}?`, [], yes === undefined ? {} : { yes }))) return;
  const done = await ask(true);
  if (outputOf(command).json) return out(JSON.stringify(done, null, 2));
  if (done.faults.length > 0) {
    tellFaults(file, done);
    process.exitCode = status.refused;
    return;
  }
  out(`saved; then: zpine device prepare --where batch=${ref}`);
}

function tellRows({ items }: ReplyOf<'batch.table'>): void {
  out(
    table(
      ['row', 'device', '', 'box', 'address', 'worked out'],
      items.map((one) => [
        String(one.row),
        one.device,
        one.action,
        one.box ?? '',
        one.address ?? '',
        Object.keys(one.workedOut).join(', '),
      ]),
      new Set([0]),
    ),
  );
}

function tellFaults(file: string, { faults, rows }: ReplyOf<'batch.table'>): void {
  err(`${file}: ${rows} rows, ${faults.length} fault${faults.length === 1 ? '' : 's'}, nothing saved`);
  for (const fault of faults) {
    const place = [`row ${fault.row}`, fault.column ?? ''].filter(Boolean).join('  ');
    err(`  ${place}  ${fault.value === null ? '' : `"${fault.value}"  `}${fault.detail}`);
    if (fault.remedy !== null) err(`    ${fault.remedy}`);
  }
}

function tell(board: Board, command: Command): void {
  if (outputOf(command).json) return out(JSON.stringify(board, null, 2));
  const when =
    board.opensAt === null
      ? 'it has no window; zpine batch open'
      : board.endedAt !== null
        ? `ended ${moment(board.endedAt)}`
        : board.window === 'before'
          ? `opens ${moment(board.opensAt)}, until ${moment(board.closesAt ?? '')}`
          : `open until ${moment(board.closesAt ?? '')}`;
  const counts = Object.entries(board.counts).map(([standing, count]) => `${count} ${standing}`);
  out(`${board.batch}   ${when}`, counts.join(', ') || 'no devices');
  if (board.items.length === 0) return;
  out('');
  out(
    table(
      ['site', 'device', 'standing', 'last milestone', 'time', 'why'],
      board.items.map((row) => [
        row.site?.toUpperCase() ?? '',
        row.device,
        row.standing,
        row.milestone ?? '',
        row.seconds === null
          ? ''
          : `${span(row.seconds)}${row.usualSeconds === null || row.servedAt !== null ? '' : ` of ${span(row.usualSeconds)}`}`,
        row.why ?? '',
      ]),
    ),
  );
  for (const row of board.items.filter(({ remedy }) => remedy !== null)) out(`  ${row.device}: ${row.remedy ?? ''}`);
}

export function addPreparing(noun: Command): void {
  withSelection(
    noun
      .command('prepare')
      .description('what devices need to arrive: a management address, an edition, and that it is published')
      .argument('[device...]'),
  )
    .option('--no-publish', 'do not publish the editions')
    .option('--open <hours>', 'also open their arrival windows, for so long')
    .option('--reason <text>', 'why')
    .addHelpText('after', '\nExample:\n  zpine device prepare --where batch=ardle-friday')
    .action(prepare);
}

async function prepare(
  devices: string[],
  { where, yes, publish, open, reason }: { publish: boolean; open?: string; reason?: string } & Selection,
  command: Command,
): Promise<void> {
  if (devices.length > 0 === (where !== undefined)) throw new UsageError('name devices, or select some with --where');
  const keys = [...devices];
  if (where !== undefined) for await (const device of clientOf().all('device', { where })) keys.push(device.key);
  if (keys.length === 0) throw new UsageError(`no device matches ${where ?? ''}`);
  const hours = open === undefined ? {} : { openHours: hoursIn('--open', open) };
  const words = `${keys.length} device${keys.length === 1 ? '' : 's'}`;
  if (where !== undefined && !(await wanted(`prepare ${words}?`, keys, yes === undefined ? {} : { yes }))) return;
  const items: Prepared[] = [];
  for (let from = 0; from < keys.length; from += MOST_PREPARED) {
    const body = { devices: keys.slice(from, from + MOST_PREPARED), publish, apply: true, ...hours };
    items.push(...(await clientOf().call('device.prepareMany', { body, reason })).items);
  }
  const failed = items.filter(({ fault }) => fault !== null);
  if (failed.length > 0) process.exitCode = status.refused;
  if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
  out(
    table(
      ['device', 'address', 'edition', 'done'],
      items
        .filter(({ fault }) => fault === null)
        .map((one) => [
          one.device,
          one.address ?? '',
          one.edition === null ? '' : `${one.edition}${one.published ? ', published' : ''}`,
          one.done.join(', ') || 'nothing to do',
        ]),
    ),
  );
  for (const { device, fault } of failed) {
    err(`${device}: ${refusedWord()}: ${fault?.detail ?? ''}`);
    if (fault?.remedy) err(`  ${fault.remedy}`);
  }
  out(`${items.length - failed.length} of ${words} prepared`);
}
