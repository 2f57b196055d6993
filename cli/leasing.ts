/** Leases: who was promised which address by DHCP, and how far pools are in use. */
import type { Command } from 'commander';
import { leaseStates, type ShownLease } from '@zpine/contract/leaseRoutes';
import { clientOf, outputOf } from './context.ts';
import { clock, err, out, table } from './print.ts';
import { UsageError } from './refusals.ts';

/** `held by har-acc-7 until 2026-03-02 10:00`. */
export function leaseWords({ state, device, client, until }: ShownLease): string {
  if (state === 'left alone') return `left alone until ${clock(until)}: somebody else was found there`;
  const who = device ?? client;
  return state === 'held' ? `${who} until ${clock(until)}` : `${who}, over since ${clock(until)}`;
}

interface ListOptions {
  prefix?: string;
  device?: string;
  client?: string;
  state?: string;
  limit: string;
}

export function addLeasing(program: Command): void {
  const lease = program.command('lease').description('Who was promised which address by DHCP, and until when.');
  lease
    .command('list')
    .description('leases, in the order of their addresses')
    .option('--prefix <prefix>', 'in this prefix')
    .option('--device <device>', 'of this device')
    .option('--client <client>', 'a hardware address, a serial, or how either begins')
    .option('--state <state>', leaseStates.join(', '))
    .option('--limit <n>', 'maximum number of rows', '200')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine lease list --prefix 10.77.64.0/24 --state held\n  zpine lease list --client 00:00:5e',
    )
    .action(list);
  lease
    .command('pools')
    .description('how far the pools of prefixes are in use, the fullest first')
    .argument('[prefix]')
    .action(async (prefix: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('lease.pools', { query: prefix === undefined ? {} : { prefix } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return out('no prefix has a pool');
      const percent = (part: number, size: number) => `${Math.floor((100 * part) / size)} %`;
      out(
        table(
          ['prefix', 'pool', 'addresses', 'held', 'left alone', 'in use'],
          items.map((one) => [
            one.prefix,
            one.pool,
            String(one.size),
            String(one.held),
            String(one.leftAlone),
            percent(one.held + one.leftAlone, one.size),
          ]),
          new Set([2, 3, 4, 5]),
        ),
      );
    });
  lease
    .command('end')
    .description(
      'end a lease, or let go of an address that is left alone; a client that has it still uses it until it asks',
    )
    .argument('<address>', '10.77.16.9; in another VRF 10.77.64.9@mgmt')
    .option('--reason <text>', 'why')
    .action(async (address: string, { reason }: { reason?: string }, command: Command) => {
      const ended = await clientOf().call('lease.end', { body: { address }, reason });
      if (outputOf(command).json) return out(JSON.stringify(ended, null, 2));
      out(
        `${ended.address} is free; it was ${ended.device ?? (ended.client === '' ? 'left alone' : `of ${ended.client}`)}`,
      );
    });
}

async function list(options: ListOptions, command: Command): Promise<void> {
  const { limit, state, ...by } = options;
  const wanted = leaseStates.find((one) => one === state);
  if (state !== undefined && wanted === undefined)
    throw new UsageError(`--state takes ${leaseStates.join(', ')}, not ${state}`);
  const seen = await clientOf().call('lease.list', { query: { ...by, state: wanted, limit } });
  if (outputOf(command).json) return out(JSON.stringify(seen.items, null, 2));
  if (seen.items.length === 0) return out('no leases');
  out(
    table(
      ['address', 'state', 'device', 'client', 'mac', 'from', 'since', 'until'],
      seen.items.map((one) => [
        one.address,
        one.state,
        one.device ?? '',
        one.client === one.mac ? '' : one.client,
        one.mac,
        one.source ?? '',
        clock(one.since),
        clock(one.until),
      ]),
    ),
  );
  if (seen.more) err(`the first ${seen.items.length}; more with --limit`);
}
