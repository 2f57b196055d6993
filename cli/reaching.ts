/** The way into devices, rung by rung. */
import type { Command } from 'commander';
import { blockingRung, rungNames, rungs, type RungState } from '@zpine/core/fleet/rungs';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import type { ReplyOf } from '@zpine/contract/routes';
import { clientOf } from './context.ts';
import { err, out, table, type Table } from './print.ts';
import { confirmed } from './prompt.ts';
import { asData, follow, judge, selectionOf, summary, withDevices, type Selected } from './runs.ts';

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
    .option('--take', 'take what the devices say of themselves into records that lack it; shows it first')
    .option('--yes', 'do not ask')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine reach har-acc-1\n  zpine reach --where 'stage=unproved' --accept --take",
    )
    .action(reach);
}

async function reach(
  devices: string[],
  options: Selected & { accept?: boolean; acceptChanged?: boolean; take?: boolean; yes?: boolean },
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
  const fresh = run.rows.filter((row) =>
    row.rungs?.some(({ rung, state }) => rung === 'host-key' && state === 'open'),
  ).length;
  if (fresh > 0) out(`${fresh} host key${fresh === 1 ? '' : 's'} to be looked at: the same with --accept`);
  const params = { id: String(run.id) };
  const could = await client.call('run.take', { params, body: { apply: false } });
  if (options.take)
    await take(could, options, () =>
      client.call('run.take', { params, body: { apply: true }, reason: options.reason }),
    );
  else {
    const many = could.items.filter(({ changes }) => changes.length > 0).length;
    if (many > 0)
      out(`${many === 1 ? 'one device says' : `${many} devices say`} what the records lack: the same with --take`);
  }
  judge(run);
}

type Taken = ReplyOf<'run.take'>;

/** What devices said of themselves, into the records: shown, asked about, saved. */
async function take(could: Taken, { yes }: { yes?: boolean | undefined }, apply: () => Promise<Taken>): Promise<void> {
  if (could.items.length === 0) return out('the records lack nothing that they say of themselves');
  out(
    table(
      ['device', 'would be', ''],
      could.items.map(({ device, changes, left }) => [
        device,
        changes
          .map(({ field, from, to }) => (from === null ? `${field} ${to}` : `${field} ${from} → ${to}`))
          .join(', ') || '–',
        left.map((one) => `left: ${one}`).join('; '),
      ]),
    ),
  );
  const many = could.items.filter(({ changes }) => changes.length > 0).length;
  if (many === 0) return;
  const question = `take it into the records of ${many} device${many === 1 ? '' : 's'}?`;
  if (!(yes ?? (await confirmed(question, many, 'nothing was taken; --yes takes it without asking')))) return;
  const done = (await apply()).items.filter(({ changes }) => changes.length > 0).length;
  out(`taken: ${done} device${done === 1 ? '' : 's'}`);
}

/** One row per device, one mark per rung, and what is in the way. */
function ladders(run: ShownRun): Table {
  // What stands beside is shown where it was tried.
  const shown = rungNames.filter(
    (rung) => rung !== 'snmp' || run.rows.some((row) => row.rungs?.some((one) => one.rung === rung)),
  );
  const heads = ['device', ...shown.map((rung) => rungs[rung]), ''];
  return table(
    heads,
    run.rows.map((row) => {
      const found = row.rungs ?? [];
      const stuck = blockingRung(found);
      return [
        row.device,
        ...shown.map((rung) => marks[found.find((one) => one.rung === rung)?.state ?? 'not tried']),
        stuck ? stuck.detail : row.detail,
      ];
    }),
  );
}
