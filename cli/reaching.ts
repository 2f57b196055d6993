/** Reach, ask and capture. */
import type { Command } from 'commander';
import { expectationWords, missWords } from '@zpine/core/fleet/expectations';
import { rungs, type RungState } from '@zpine/core/fleet/rungs';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { answerTable, fieldNames } from '@zpine/contract/runTables';
import { expectationsOf } from './expecting.ts';
import { clientOf } from './context.ts';
import { readTable } from './files.ts';
import { err, out, table, type Table } from './print.ts';
import { confirmed } from './prompt.ts';
import { UsageError } from './refusals.ts';
import { outcomeText } from './runRow.ts';
import { asData, follow, judge, outcomeTable, selectionOf, summary, withDevices, type Selected } from './runs.ts';

const marks: Record<RungState, string> = { holds: '●', gives: '✕', open: '?', 'not tried': '·' };

export function addReaching(program: Command): void {
  withDevices(
    program
      .command('reach')
      .description(
        'the way into devices, rung by rung: name, answer, port, key exchange, host key, sign-in, privilege, dialect',
      )
      .argument('[device...]'),
  )
    .option('--accept', 'pin the host keys of devices that nobody has met yet, then look again; shows them first')
    .option('--accept-changed', 'pin keys, too, that differ from those that were pinned')
    .option('--yes', 'do not ask')
    .addHelpText('after', "\nExamples:\n  zpine reach har-acc-1\n  zpine reach --where 'stage=unproved' --accept")
    .action(reach);

  const list = (value: string, before: string[]): string[] => [...before, value];
  withDevices(
    program
      .command('ask')
      .description('read-only questions to devices: fields as columns, or equal answers together')
      .argument('[question...]', 'named questions of the dialects: version, interfaces, neighbours, arp, macs, time'),
  )
    .option('--command <command>', 'a command that only reads; may come again', list, [] as string[])
    .option('--device <device>', 'a device; may come again', list, [] as string[])
    .option('--table <file>', 'commands that differ from device to device: a CSV with one column or one row per device')
    .option('--by <way>', 'whether devices stand in columns or in rows; found out by itself when not given')
    .option('--expect <text>', 'what every answer must have; may come again', list, [] as string[])
    .option('--expect-not <text>', 'what no answer may have', list, [] as string[])
    .option('--expect-line <pattern>', 'a line of every answer must fit this', list, [] as string[])
    .option('--text', 'every answer as it came')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine ask time --where 'site=har' --expect 10.77.0.5 --expect 10.77.0.6\n  zpine ask --command 'tell clock' --where 'dialect=furrow'\n  zpine ask interfaces --device har-acc-1 --csv",
    )
    .action(ask);
}

async function reach(
  devices: string[],
  options: Selected & { accept?: boolean; acceptChanged?: boolean; yes?: boolean },
  command: Command,
): Promise<void> {
  const body = selectionOf(devices, options);
  const client = clientOf();
  let run = await follow(await client.call('run.reach', { body, reason: options.reason }));
  if (options.accept || options.acceptChanged) {
    const open = run.rows.filter((row) =>
      row.rungs?.some(
        ({ rung, state }) => rung === 'host-key' && (state === 'open' || (state === 'gives' && options.acceptChanged)),
      ),
    );
    if (open.length > 0) {
      const keys = table(
        ['device', 'key', 'fingerprint'],
        open.map((row) => [row.device, row.hostKey?.algorithm ?? '', row.hostKey?.fingerprint ?? '']),
      );
      err(String(keys));
      const question = `accept ${open.length} host key${open.length === 1 ? '' : 's'}?`;
      const yes =
        options.yes ?? (await confirmed(question, open.length, 'none was accepted; --yes accepts without asking'));
      if (!yes) return;
      await client.call('hostKey.accept', {
        body: { run: run.id, devices: open.map((row) => row.device), changed: options.acceptChanged === true },
        reason: options.reason,
      });
      run = await follow(await client.call('run.reach', { body, reason: options.reason }));
    }
  }
  if (asData(run, command)) return;
  out(ladders(run));
  out('');
  out(summary(run));
  const fresh = run.rows.filter((row) => row.rungs?.some((one) => one.state === 'open')).length;
  if (fresh > 0) out(`${fresh} host key${fresh === 1 ? '' : 's'} to be looked at: the same with --accept`);
  judge(run);
}

/** One row per device, one mark per rung, and what is in the way. */
function ladders(run: ShownRun): Table {
  const heads = ['device', ...Object.values(rungs), ''];
  return table(
    heads,
    run.rows.map((row) => {
      const found = row.rungs ?? [];
      const stuck = found.find(({ state }) => state === 'gives' || state === 'open');
      return [
        row.device,
        ...Object.keys(rungs).map((rung) => marks[found.find((one) => one.rung === rung)?.state ?? 'not tried']),
        stuck ? stuck.detail : row.detail,
      ];
    }),
  );
}

interface AskOptions extends Selected {
  command: string[];
  device: string[];
  table?: string;
  by?: string;
  expect: string[];
  expectNot: string[];
  expectLine: string[];
  text?: boolean;
}

/** A table alone selects its own devices. */
export function selectionWithTable(devices: string[], options: Selected & { table?: string; by?: string }) {
  if (options.by !== undefined && options.by !== 'columns' && options.by !== 'rows')
    throw new UsageError('--by takes columns or rows');
  if (options.table === undefined) return selectionOf(devices, options);
  const text = readTable(options.table).text;
  const chosen = devices.length === 0 && options.where === undefined ? {} : selectionOf(devices, options);
  return {
    ...chosen,
    perDevice: {
      text,
      ...(options.by === undefined ? {} : { by: options.by === 'rows' ? ('rows' as const) : ('columns' as const) }),
    },
  };
}

async function ask(questions: string[], options: AskOptions, command: Command): Promise<void> {
  const body = {
    ...selectionWithTable(options.device, options),
    asks: [...questions.map((question) => ({ question })), ...options.command.map((one) => ({ command: one }))],
    expect: [
      // A command has no fields.
      ...expectationsOf(options, options.command.length === 0),
      ...options.expectLine.map((text) => ({ kind: 'matches' as const, text })),
    ],
  };
  const run = await follow(await clientOf().call('run.ask', { body, reason: options.reason }));
  if (asData(run, command)) return;
  if (options.text) texts(run);
  else if (fieldNames(run.rows).length > 0) {
    const { heads, rows } = answerTable(run);
    out(table(heads, rows));
  } else await alike(run);
  out('');
  expectations(run);
  out(summary(run));
  judge(run);
}

function texts(run: ShownRun): void {
  for (const row of run.rows) {
    if (!row.answers) {
      out(`${row.device}   ${outcomeText(row.outcome)}   ${row.detail}\n`);
      continue;
    }
    for (const answer of row.answers) {
      out(`${row.device}   ${answer.ask}${answer.cut ? '   (only the beginning)' : ''}`);
      out(answer.refused === null ? answer.text.replace(/^/gm, '  ') : `  not taken: ${answer.refused}`);
      out('');
    }
  }
}

async function alike(run: ShownRun): Promise<void> {
  const { items } = await clientOf().call('run.groups', { params: { id: String(run.id) } });
  for (const { ask: name, words, groups } of items) {
    out(`${name}: ${words}`);
    for (const [i, group] of groups.entries()) {
      out(`  ${deviceWords(group.devices)}`);
      const lines = i === 0 ? group.text.split('\n') : group.diff;
      for (const line of lines) out(`    ${line}`);
    }
    out('');
  }
  const rest = run.rows.filter((row) => row.outcome !== 'answered');
  if (rest.length > 0) out(outcomeTable({ ...run, rows: rest }));
}

const deviceWords = (devices: string[]): string =>
  devices.length > 6 ? `${devices.slice(0, 5).join(', ')} and ${devices.length - 5} more` : devices.join(', ');

function expectations(run: ShownRun): void {
  if (run.expect.length === 0) return;
  const failing = run.rows.flatMap((row) =>
    (row.answers ?? []).flatMap((one) => one.missed.map((missed) => ({ device: row.device, missed }))),
  );
  const asked = run.rows.filter((row) => row.answers).length;
  const missing = new Set(failing.map((one) => one.device)).size;
  out(`${asked - missing} of ${asked} answers are as expected (${run.expect.map(expectationWords).join(', ')})`);
  if (failing.length > 0) {
    out(
      table(
        ['device', 'differs'],
        failing.map(({ device, missed }) => [device, missWords(missed)]),
      ),
    );
    out('');
  }
}
