/** What devices said last: addresses, links, MACs; what is watched; notices. */
import type { Command } from 'commander';
import type { LiveAddress, LiveLink, Relation } from '@zpine/contract/liveRoutes';
import { relations } from '@zpine/contract/liveRoutes';
import { clientOf, outputOf } from './context.ts';
import { ago, err, out, table } from './print.ts';
import { confirmed } from './prompt.ts';
import { UsageError } from './refusals.ts';
import { settle } from './imports.ts';
import { follow, selectionOf, summary } from './runs.ts';

export function addLive(program: Command): void {
  const live = program.command('live').description('What devices themselves said last, beside the records.');
  addAddresses(live);
  addLinks(live);
  addBehind(live);
  live
    .command('take-in')
    .description(
      'a network that runs into the records, from what its devices answer: VLANs with their ports, interfaces, addresses, cables, clocks; shows it first',
    )
    .argument('[device...]')
    .option('--where <tests>', "all devices of a selection: 'labels=found'")
    .option('--run <number>', 'from the answers of this run, without asking again')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why')
    .addHelpText('after', "\nExample:\n  zpine live take-in --where 'labels=found'")
    .action(takeIn);
  live
    .command('mac')
    .description('where a MAC was seen last; a part of it is enough')
    .argument('<mac>')
    .addHelpText('after', "\nFresh answers: zpine ask macs --where 'site=har'")
    .action(async (mac: string, _options: object, command: Command) => {
      const { items } = await clientOf().call('live.mac', { query: { mac } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0)
        return err('no device said that it sees such a MAC; zpine ask macs --where TESTS asks them');
      out(
        table(
          ['mac', 'device', 'port', 'vlan', 'MACs on the port', 'seen'],
          items.map((one) => [
            one.mac,
            one.device,
            one.interface,
            one.vlan ?? '',
            String(one.macsOnPort),
            `${ago(one.seenAt)} ago`,
          ]),
          new Set([4]),
        ),
      );
    });

  const watch = program.command('watch').description('Devices that are looked at by plan, and how they are.');
  watch
    .command('list')
    .description('what is watched, and how it is')
    .argument('[device]')
    .addHelpText('after', '\nTo watch: zpine setting set watch.minutes 5 --on site:har')
    .action(async (device: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('watch.list', { query: device === undefined ? {} : { device } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('nothing is watched; zpine setting set watch.minutes 5 --on site:SITE');
      out(
        table(
          ['device', 'what', 'state', 'for', 'looked at'],
          items.map((one) => [
            one.device,
            one.what,
            `${one.state}${one.flapping ? ' (flaps)' : ''}`,
            ago(one.since),
            `${ago(one.lookedAt)} ago`,
          ]),
        ),
      );
    });
  watch
    .command('deliveries')
    .description('messages to other systems: sent, or why not yet')
    .action(async (_options: object, command: Command) => {
      const { items } = await clientOf().call('delivery.list');
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('no messages; zpine setting set watch.hooks URL --mode add --on area:AREA');
      out(
        table(
          ['when', 'to', 'what', 'tries', ''],
          items.map((one) => [
            `${ago(one.at)} ago`,
            one.url,
            one.subject,
            String(one.tries),
            one.sentAt !== null
              ? '● sent'
              : `${one.nextAt === null ? '✕ given up' : '○ tried again'}${one.fault === null ? '' : `: ${one.fault}`}`,
          ]),
          new Set([3]),
        ),
      );
    });
  watch
    .command('notices')
    .description('what the watch had to tell, the newest first')
    .option('--limit <n>', 'maximum number of rows', '50')
    .action(async (options: { limit: string }, command: Command) => {
      const { items } = await clientOf().call('notice.list', { query: { limit: options.limit } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('no notices');
      out(
        table(
          ['when', 'device', 'notice', 'comes of', 'letter'],
          items.map((one) => [
            `${ago(one.at)} ago`,
            one.device,
            one.text,
            one.cause === null || one.cause === one.device ? '' : one.cause,
            one.mailedAt !== null ? 'sent' : one.mailFault !== null ? `not taken: ${one.mailFault}` : '',
          ]),
        ),
      );
    });
}

interface LiveOptions {
  where?: string;
  seen?: string;
  ask?: boolean;
  take?: boolean;
  yes?: boolean;
  reason?: string;
}

const list = (command: Command): Command =>
  command
    .option('--where <tests>', 'only of these devices')
    .option('--seen <hours>', 'only what was seen in the last so many hours')
    .option('--ask', 'ask the devices again first: those of --where, or those that said it before')
    .option('--take', 'take what the records lack, or say otherwise, into them; asks first')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, kept in the history');

const queryOf = ({ where, seen }: LiveOptions): { where?: string; seen?: string } => {
  if (seen !== undefined && !(Number(seen) > 0)) throw new UsageError(`"${seen}" is not a number of hours`);
  return { ...(where === undefined ? {} : { where }), ...(seen === undefined ? {} : { seen }) };
};

/** Asked again, of the devices of a selection or of those that said something before. */
async function askAgain(question: string, { where }: LiveOptions, before: readonly string[]): Promise<void> {
  const devices = [...new Set(before)];
  if (where === undefined && devices.length === 0)
    throw new UsageError('nobody said anything before: say with --where which devices are to be asked');
  const body = { ...(where === undefined ? { devices } : { where }), asks: [{ question }] };
  const run = await follow(await clientOf().call('run.ask', { body }));
  const { id, expected } = run;
  const silent = run.rows.filter(({ outcome }) => outcome !== 'answered');
  if (silent.length > 0)
    err(`${silent.length} of ${expected} did not answer; what they said before stands here: zpine run show ${id}`);
}

function addAddresses(live: Command): void {
  list(
    live
      .command('addresses')
      .description('interfaces whose network on the device is a prefix, is inside it, or lies around it')
      .argument('<prefix>'),
  )
    .option('--how <way>', `only ${relations.join(', ')}`)
    .addHelpText(
      'after',
      '\nExamples:\n  zpine live addresses 10.77.16.0/24 --ask --where site=ard\n  zpine live addresses 10.77.16.0/24 --how exactly --seen 24\n  zpine live addresses 10.77.16.0/24 --take',
    )
    .action(addresses);
}

async function addresses(prefix: string, options: LiveOptions & { how?: string }, command: Command): Promise<void> {
  const how = relations.find((one) => one === options.how);
  if (options.how !== undefined && !how) throw new UsageError(`--how takes ${relations.join(', ')}`);
  const query = { prefix, ...queryOf(options), ...(how ? { how } : {}) };
  const items = await looked(
    'interfaces',
    options,
    async () => (await clientOf().call('live.addresses', { query })).items,
  );
  if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
  if (items.length === 0)
    return err(
      'nobody said that they have such an address, and the records have none; --ask --where TESTS asks them again',
    );
  const words: Record<Relation, string> = { exactly: 'exactly', inside: 'inside', around: 'around it' };
  out(
    table(
      ['address', 'device', 'interface', 'network', 'state', 'seen', 'in the records', ''],
      items.map((one) => [
        one.address,
        one.device,
        one.interface,
        one.seenAt === null ? '' : words[one.relation],
        one.state ?? '',
        one.seenAt === null ? 'not seen' : `${ago(one.seenAt)} ago`,
        one.recorded ?? 'none',
        agreement(one),
      ]),
    ),
  );
  const able = items.filter(({ take }) => take !== null);
  if (able.length === 0) return;
  if (!options.take) return out(`\n${able.length} can be taken into the records: the same with --take`);
  await taking(
    able.map(({ address, take }) => `${address} ${take ?? ''}`),
    options,
    () =>
      clientOf().call('live.take', {
        body: { addresses: able.map(({ device, interface: on, address }) => ({ device, interface: on, address })) },
        reason: options.reason,
      }),
  );
}

/** Says what would be taken, asks, and says what was done. */
async function taking(lines: string[], { yes }: LiveOptions, take: () => Promise<{ done: string[] }>): Promise<void> {
  out('');
  for (const line of lines) out(`+ ${line}`);
  const question = `take ${lines.length} into the records?`;
  if (!yes && !(await confirmed(question, lines.length, 'nothing was taken; --yes takes it without asking'))) return;
  for (const line of (await take()).done) out(line);
}

const agreement = ({ seenAt, agrees }: Pick<LiveAddress | LiveLink, 'seenAt' | 'agrees'>): string =>
  seenAt === null ? '○' : agrees ? '● agree' : '✕ differ';

function addLinks(live: Command): void {
  list(live.command('links').description('who is heard on the ports of devices, beside the cables of the records'))
    .addHelpText(
      'after',
      '\nExamples:\n  zpine live links --where site=har --ask\n  zpine live links --where site=har --take',
    )
    .action(async (options: LiveOptions, command: Command) => {
      const query = queryOf(options);
      const items = await looked(
        'neighbours',
        options,
        async () => (await clientOf().call('live.links', { query })).items,
      );
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('nobody said whom they hear; --ask --where TESTS asks them again');
      out(
        table(
          ['device', 'interface', 'hears', 'at', 'seen', 'cable to, by the records', ''],
          items.map((one) => [
            one.device,
            one.interface,
            one.neighbour,
            one.port,
            one.seenAt === null ? '' : `${ago(one.seenAt)} ago`,
            one.recorded ?? 'none',
            agreement(one),
          ]),
        ),
      );
      const able = items.filter(({ take }) => take !== null);
      if (able.length === 0) return;
      if (!options.take) return out(`\n${able.length} can be taken into the records: the same with --take`);
      await taking(
        able.map(({ take }) => `a cable from ${take ?? ''}`),
        options,
        () =>
          clientOf().call('live.takeLinks', {
            body: { links: able.map(({ device, interface: on }) => ({ device, interface: on })) },
            reason: options.reason,
          }),
      );
    });
}

function addBehind(live: Command): void {
  list(
    live
      .command('behind')
      .description('whose MACs are seen on ports that few hang on, beside the cables of the records'),
  )
    .addHelpText(
      'after',
      '\nExamples:\n  zpine live behind --where site=har --ask\n  zpine live behind --where site=har --take',
    )
    .action(async (options: LiveOptions, command: Command) => {
      const query = queryOf(options);
      const items = await looked('macs', options, async () => (await clientOf().call('live.behind', { query })).items);
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('nobody said what is behind its ports; --ask --where TESTS asks them again');
      out(
        table(
          ['device', 'interface', 'mac', 'whose, by the records', 'seen', 'cable to, by the records', ''],
          items.map((one) => [
            one.device,
            one.interface,
            one.mac,
            one.belongs ?? 'nobody',
            `${ago(one.seenAt)} ago`,
            one.recorded ?? 'none',
            one.belongs === null ? '' : agreement(one),
          ]),
        ),
      );
      const able = items.filter(({ take }) => take !== null);
      if (able.length === 0) return;
      if (!options.take) return out(`\n${able.length} can be taken into the records: the same with --take`);
      await taking(
        able.map(({ take }) => `a cable from ${take ?? ''}`),
        options,
        () =>
          clientOf().call('live.takeBehind', {
            body: { plugs: able.map(({ device, interface: on }) => ({ device, interface: on })) },
            reason: options.reason,
          }),
      );
    });
}

/** What is remembered; asked for afresh first, where that is wanted. */
async function looked<T extends { device: string }>(
  question: string,
  options: LiveOptions,
  look: () => Promise<T[]>,
): Promise<T[]> {
  const items = await look();
  if (!options.ask) return items;
  await askAgain(
    question,
    options,
    items.map(({ device }) => device),
  );
  return look();
}

const NETWORK = ['interfaces', 'vlans', 'neighbours', 'time'];

async function takeIn(
  devices: string[],
  { where, run, yes, reason }: { where?: string; run?: string; yes?: boolean; reason?: string },
  command: Command,
): Promise<void> {
  const { json } = outputOf(command);
  let number = run?.replace(/^#/, '');
  if (number === undefined) {
    const body = {
      ...selectionOf(devices, where === undefined ? {} : { where }),
      asks: NETWORK.map((question) => ({ question })),
    };
    const asked = await follow(await clientOf().call('run.ask', { body, reason }));
    number = String(asked.id);
    if (!json) out(summary(asked));
  } else if (devices.length > 0 || where !== undefined) throw new UsageError('either devices or --run, not both');
  const params = { id: number };
  const send = async (apply: boolean) => {
    const outcome = await clientOf().call('run.takeNetwork', { params, body: { apply }, reason });
    if (!json) for (const left of outcome.left) err(`left as it is: ${left}`);
    return outcome;
  };
  await settle(`run #${number}`, send, { yes: yes === true, file: '', json });
}
