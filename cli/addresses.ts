import { countWords } from '@zpine/core/addressing/count';
import type { Command } from 'commander';
import type { ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf } from './context.ts';
import { addRecord } from './kindCommands.ts';
import { out } from './print.ts';
import { wanted } from './prompt.ts';
import { UsageError } from './refusals.ts';

type Assigned = ReplyOf<'device.assignManagement'>;
type Proposed = ReplyOf<'address.propose'>;

interface NextOptions {
  for?: string;
  interface?: string;
  from?: string;
  family?: '4' | '6';
  description?: string;
  reason?: string;
}

/** The verbs of addresses beyond those of every kind. */
export function addAddressVerbs(noun: Command): void {
  noun
    .command('next')
    .description('the next free address: proposed, or assigned with --for or --interface')
    .argument('[prefix]', 'the prefix to look in; with --for it is found by the management VLAN of the site')
    .option('--for <device>', 'assign it as the management address of this device')
    .option('--interface <interface>', 'assign it to this interface, such as ard-xr-1:self0')
    .option('--from <address>', 'the next free one at or above this address')
    .option('--family <4|6>', 'which family, where the prefix does not say', '4')
    .option('--description <text>', 'kept with the address')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine address next --for ske-acc-1\n  zpine address next 10.77.255.0/24 --interface ard-xr-1:self0\n  zpine address next 10.77.34.0/24',
    )
    .action(next);
  noun
    .command('release')
    .description('give an address back')
    .argument('<address>', 'such as 10.77.16.11, or 10.77.19.11@wireless in another VRF')
    .option('--reason <text>', 'why, for the history')
    .action(async (key: string, { reason }: { reason?: string }) => {
      const client = clientOf();
      const record = await client.show('address', key);
      await client.remove('address', `#${record.id}`, { version: record.version, reason });
      out(`released ${record.key}${record.interface ? ` of ${record.interface}` : ''}`);
    });
  noun
    .command('reserve')
    .description('several addresses kept for nobody yet: the next free ones of a prefix, or all of a stretch')
    .argument('<prefix or stretch>', '10.77.34.0/24, or 10.77.34.50-10.77.34.59')
    .option('--count <n>', 'how many of a prefix', '1')
    .option('--in-a-row', 'one after the other')
    .option('--vrf <vrf>', 'of a stretch')
    .option('--description <text>', 'kept with each')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine address reserve 10.77.34.0/24 --count 4 --in-a-row\n  zpine address reserve 10.77.34.50-10.77.34.59',
    )
    .action(reserve);
  const adding = noun.commands.find((c) => c.name() === 'add');
  adding?.option('--for <device>', 'make it the management address of this device').action(addAddress);
}

interface ReserveOptions {
  count: string;
  inARow?: boolean;
  vrf?: string;
  description?: string;
  yes?: boolean;
  reason?: string;
}

async function reserve(what: string, options: ReserveOptions, command: Command): Promise<void> {
  const { count, inARow, vrf, description, reason } = options;
  const kept = { ...(description === undefined ? {} : { description }) };
  const body = what.includes('/')
    ? { prefix: what, count: Number(count), inARow: inARow === true, ...kept }
    : { range: what, ...(vrf === undefined ? {} : { vrf }), ...kept };
  const client = clientOf();
  const { json } = outputOf(command);
  const seen = await client.call('address.reserve', { body: { ...body, apply: false } });
  const question = `reserve these ${seen.items.length}?`;
  if (!(await wanted(question, seen.items, { yes: options.yes, json }))) return;
  const { items } = await client.call('address.reserve', { body, reason });
  if (json) out(JSON.stringify(items, null, 2));
  else if (items.length < 2 || options.yes) out(items.join('\n'));
  else out(`reserved ${items.length}${items.join() === seen.items.join() ? '' : `: ${items.join(' ')}`}`);
}

async function addAddress(key: string, options: Record<string, string | undefined>, command: Command): Promise<void> {
  if (options.for === undefined) return addRecord('address', key, options, command);
  const done = await clientOf().call('device.assignManagement', {
    params: { ref: options.for },
    body: { address: key },
    reason: options.reason,
  });
  out(outputOf(command).json ? JSON.stringify(done, null, 2) : assignedLine(done));
}

async function next(prefix: string | undefined, options: NextOptions, command: Command): Promise<void> {
  const client = clientOf();
  const { json } = outputOf(command);
  const { from, family, reason } = options;
  if (options.for !== undefined) {
    const body = { ...(prefix === undefined ? { family } : { prefix }), ...(from === undefined ? {} : { from }) };
    const done = await client.call('device.assignManagement', { params: { ref: options.for }, body, reason });
    return out(json ? JSON.stringify(done, null, 2) : assignedLine(done));
  }
  if (prefix === undefined) throw new UsageError('say the prefix, or --for DEVICE');
  if (options.interface !== undefined) {
    const { description } = options;
    const done = await client.call('address.assign', {
      body: { prefix, interface: options.interface, from, description },
      reason,
    });
    return out(json ? JSON.stringify(done, null, 2) : assignedLine(done));
  }
  const proposed = await client.call('address.propose', { query: { prefix, from } });
  out(
    json
      ? JSON.stringify(proposed, null, 2)
      : `${proposed.address}/${proposed.length} is free (${placeOf(proposed)}${countWords(proposed.left)} left)`,
  );
}

const vlanNumber = (vlan: string | null): string => vlan?.split('/').at(-1) ?? '';

function placeOf({ use, site }: Proposed): string {
  const words = [use, site && `at ${site.toUpperCase()}`].filter(Boolean).join(' ');
  return words ? `${words}, ` : '';
}

export function assignedLine(done: Assigned): string {
  const on = done.vlan
    ? `on vlan ${vlanNumber(done.vlan)}`
    : `on ${done.interface?.split(':').at(-1) ?? 'no interface'}`;
  const had = done.assigned ? '' : ', as before';
  return `${done.address}/${done.length} for ${done.device ?? 'nobody'} ${on} (${placeOf(done)}${countWords(done.left)} left)${had}`;
}
