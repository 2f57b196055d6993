/** The way into devices, rung by rung. */
import type { Command } from 'commander';
import { rungs, type RungState } from '@zpine/core/fleet/rungs';
import type { ShownRun } from '@zpine/contract/fleetShapes';
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
    .option('--yes', 'do not ask')
    .addHelpText('after', "\nExamples:\n  zpine reach har-acc-1\n  zpine reach --where 'stage=unproved' --accept")
    .action(reach);
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
