/** Sweeps: going through the addresses of a prefix for devices that the records do not know. */
import type { Command } from 'commander';
import { rungNames, rungs } from '@zpine/core/fleet/rungs';
import type { ReplyOf } from '@zpine/contract/routes';
import type { SweepHead } from '@zpine/contract/sweepRoutes';
import { clientOf, outputOf } from './context.ts';
import { settle } from './imports.ts';
import { clock, err, out, table } from './print.ts';
import { UsageError } from './refusals.ts';

type ShownSweep = ReplyOf<'sweep.show'>;

interface TakeOptions {
  site?: string;
  duty?: string;
  labels?: string;
  yes?: boolean;
  reason?: string;
}

const taking = (command: Command): Command =>
  command
    .option('--site <site>', 'of devices that are taken in')
    .option('--duty <duty>', 'of devices that are taken in')
    .option('--labels <labels>', 'of devices that are taken in')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why');

export function addSweeping(program: Command, prefix: Command): void {
  taking(
    prefix
      .command('sweep')
      .description(
        'go through the addresses of a prefix that the records do not know, for devices; its field sweep permits it',
      )
      .argument('<prefix>')
      .option('--per-second <n>', 'so many addresses a second at the most', '20')
      .option('--take', 'take in those that said what they are; shows it first'),
  )
    .addHelpText(
      'after',
      '\nExamples:\n  zpine prefix edit 10.77.0.0/24 --sweep look\n  zpine prefix sweep 10.77.0.0/24 --take --site har',
    )
    .action(begin);
  const sweep = program.command('sweep').description('sweeps that were begun: zpine prefix sweep');
  sweep.command('list').description('the newest first').option('--prefix <prefix>', 'of this prefix').action(listed);
  sweep.command('show').description('what a sweep found').argument('<number>').action(show);
  sweep
    .command('stop')
    .description('end a sweep early; what it found is kept')
    .argument('<number>')
    .action(async (number: string) => {
      const { id, done, total } = await clientOf().call('sweep.stop', { params: { id: number } });
      out(`sweep #${id} ends, with ${done} of ${total} addresses`);
    });
  taking(
    sweep
      .command('take')
      .description('take hosts that a sweep found into the records, as unproved devices; shows it first')
      .argument('<number>')
      .argument('[address...]', 'left out: those that said what they are'),
  ).action(async (number: string, addresses: string[], options: TakeOptions, command: Command) =>
    take(number, addresses, options, command),
  );
}

async function begin(
  prefix: string,
  options: TakeOptions & { perSecond: string; take?: boolean },
  command: Command,
): Promise<void> {
  if (!/^\d{1,3}$/.test(options.perSecond)) throw new UsageError('--per-second takes a number');
  const body = { prefix, perSecond: Number(options.perSecond) };
  const { id } = await clientOf().call('sweep.start', { body, reason: options.reason });
  const ended = await followed(id);
  if (outputOf(command).json) out(JSON.stringify(ended, null, 2));
  else tell(ended);
  if (options.take && ended.found.some(({ met }) => met !== null)) await take(String(id), [], options, command);
}

const POLL_MS = 300;

async function followed(id: number): Promise<ShownSweep> {
  let told = '';
  for (;;) {
    const shown = await clientOf().call('sweep.show', { params: { id: String(id) } });
    const words = `sweep #${id}: ${shown.done} of ${shown.total} addresses, ${shown.found.length} answered`;
    if (shown.state === 'ended') {
      if (told !== '' && process.stderr.isTTY) process.stderr.write('\r\u001b[K');
      return shown;
    }
    if (words !== told) process.stderr.write(process.stderr.isTTY ? `\r\u001b[K${words}` : `${words}\n`);
    told = words;
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
  }
}

/** By rung, then host by host. */
function tell(sweep: ShownSweep): void {
  const { found, done, total, silent, shut, known, remarks, ended, state } = sweep;
  if (found.length > 0)
    out(
      table(
        ['address', 'as far as', 'dialect', 'name', 'model', 'serial', 'let in by', ''],
        found.map(({ address, rung, met, by, detail }) => [
          address,
          rungs[rung],
          met?.dialect ?? '',
          met?.name ?? '',
          met?.model ?? '',
          met?.serial ?? '',
          by ?? '',
          met ? '' : detail,
        ]),
      ),
    );
  const reached = rungNames
    .map((rung) => [rungs[rung], found.filter((one) => one.rung === rung).length] as const)
    .filter(([, count]) => count > 0)
    .map(([title, count]) => `${count} as far as ${title}`);
  out(
    `${done} of ${total} addresses: ${[...reached, `${shut} with the port shut`, `${silent} silent`].join(', ')}; ${known} not tried, the records know them   sweep #${sweep.id}`,
  );
  for (const remark of remarks) out(remark);
  if (ended !== null) out(`ended early: ${ended}`);
  if (!sweep.signsIn && found.some(({ rung }) => rung === 'host-key'))
    out(`nobody was signed in on: zpine prefix edit ${sweep.prefix} --sweep sign-in permits it`);
  const could = found.filter(({ met }) => met !== null).length;
  if (could > 0 && state === 'ended') out(`${could} could be taken in: zpine sweep take ${sweep.id}`);
}

async function show(number: string, _options: unknown, command: Command): Promise<void> {
  const shown = await clientOf().call('sweep.show', { params: { id: number } });
  if (outputOf(command).json) out(JSON.stringify(shown, null, 2));
  else tell(shown);
}

async function listed({ prefix }: { prefix?: string }, command: Command): Promise<void> {
  const { items } = await clientOf().call('sweep.list', { query: prefix === undefined ? {} : { prefix } });
  if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
  out(
    table(
      ['sweep', 'prefix', 'at', 'by', 'state', 'addresses'],
      items.map((one: SweepHead) => [
        `#${one.id}`,
        one.prefix,
        clock(one.madeAt),
        one.by,
        one.ended ?? one.state,
        `${one.done} of ${one.total}`,
      ]),
    ),
  );
}

async function take(number: string, addresses: string[], options: TakeOptions, command: Command): Promise<void> {
  const { site, duty, labels, yes, reason } = options;
  const chosen = { ...(site ? { site } : {}), ...(duty ? { duty } : {}), ...(labels ? { labels } : {}) };
  const some = addresses.length > 0 ? { addresses } : {};
  const send = (apply: boolean) =>
    clientOf().call('sweep.take', { params: { id: number }, body: { ...chosen, ...some, apply }, reason });
  let taken = false;
  const heard = async (apply: boolean) => {
    const outcome = await send(apply);
    taken ||= outcome.applied && outcome.counts.add > 0;
    return outcome;
  };
  const { json } = outputOf(command);
  await settle(`sweep #${number}`, heard, { yes: yes === true, file: '', json });
  // What let the sweep in is for strangers: devices have a login of their own, and a key that somebody looks at.
  if (taken && !json)
    err(
      `they are signed in on by access.user and access.password, in any layer${labels ? `: --on label:${labels.split(/[\s,;]+/)[0] ?? ''}` : ''}; then: zpine reach --where 'stage=unproved' --accept`,
    );
}
