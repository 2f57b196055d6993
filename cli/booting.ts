import type { Command } from 'commander';
import { addDhcpData } from './dhcpData.ts';
import { severities } from '@zpine/core/signs/syslog';
import { signKinds, type SignKind } from '@zpine/contract/signRoutes';
import { isTalker, strangerName } from '@zpine/contract/strangerWords';
import { clientOf, outputOf } from './context.ts';
import type { ReplyOf } from '@zpine/contract/routes';
import { hoursOf, nextStep } from './windows.ts';
import { ago, err, out, pairs, table, type Table } from './print.ts';
import { confirmed, looked } from './prompt.ts';
import { UsageError } from './refusals.ts';

/** What booting clients are told, and what they did. */
export function addBooting(program: Command): void {
  const dhcp = program.command('dhcp').description('What booting devices are told by DHCP, and why.');
  dhcp
    .command('explain')
    .description('every option that a device is told, with its bytes and the record that it comes from')
    .argument('<device>')
    .option('--relay <address>', 'the relay that it boots behind; the gateway of its management prefix if not given')
    .option('--message <type>', 'what it sends: DISCOVER, REQUEST or INFORM', 'DISCOVER')
    .option('--asked <options>', 'the options that it asks for, in their order: 6,67,ntp-servers')
    .option(
      '--class <text>',
      'its vendor class (option 60), or 4711:NAME for that of an enterprise (124); that of its boot profile or dialect if not given',
    )
    .option('--user-class <text>', 'its user classes (option 77), with commas between them')
    .option('--circuit <text>', 'the circuit that its relay names (option 82)')
    .option('--size <bytes>', 'the largest message that it takes (option 57)')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine dhcp explain ard-acc-1 --asked 67,6,3\n  zpine dhcp explain ard-acc-1 --message INFORM --size 576',
    )
    .action(explain);
  dhcp
    .command('replay')
    .description('an exchange of the boot log, decided anew by the records as they are now; what has changed since')
    .argument('<number>', 'as zpine boot log shows it')
    .action(replay);

  addDhcpData(dhcp);

  const boot = program.command('boot').description('What booting clients asked, and what came of it.');
  boot
    .command('log')
    .description('DHCP, TFTP and call-home requests, the newest first')
    .argument('[device]')
    .option('--outcome <outcome>', 'only answered, refused, dropped or broken')
    .option('--limit <n>', 'maximum number of rows', '40')
    .action(async (device: string | undefined, options: { outcome?: 'answered'; limit: string }, command: Command) => {
      const { items } = await clientOf().call('boot.records', {
        query: { ...options, ...(device === undefined ? {} : { device }) },
      });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('nothing was heard of booting clients yet');
      out(
        table(
          ['number', 'last', 'times', '', 'what', 'outcome', 'device', 'mac', 'detail'],
          items.map((i) => [
            String(i.id),
            `${ago(i.lastAt)} ago`,
            String(i.times),
            i.protocol,
            i.what,
            i.outcome,
            i.device ?? '',
            i.mac ?? i.address ?? '',
            i.detail,
          ]),
          new Set([0, 2]),
        ),
      );
    });

  addSigns(program);
  addStrangers(program);
}

/** `warning`, for log lines. */
const grave = (severity: number | null): string => (severity === null ? '' : (severities[severity] ?? ''));

function addSigns(program: Command): void {
  const noun = program.command('sign').description('Traps and log lines: what devices say of themselves unasked.');
  noun
    .command('list')
    .description('the newest first; the same one several times is one')
    .argument('[device]')
    .option('--prefix <prefix>', 'only of this network')
    .option('--address <address>', 'only from there')
    .option('--kind <kind>', `only ${signKinds.join(' or ')}`)
    .option('--limit <n>', 'maximum number of rows', '40')
    .action(async (device: string | undefined, options: { kind?: SignKind; limit: string }, command: Command) => {
      const query = { ...options, ...(device === undefined ? {} : { device }) };
      const { items } = await clientOf().call('sign.list', { query });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('neither a trap nor a log line came in the last seven days');
      out(
        table(
          ['last', 'times', 'what', 'grave', 'from', 'says'],
          items.map((one) => [
            `${ago(one.lastAt)} ago`,
            String(one.times),
            one.kind,
            grave(one.severity),
            one.device ?? one.address,
            one.text,
          ]),
          new Set([1]),
        ),
      );
    });
}

interface DismissOptions {
  all?: true;
  prefix?: string;
  quiet?: string;
  yes?: true;
  reason?: string;
}

async function dismissAll({ prefix, quiet, yes, reason }: DismissOptions, command: Command): Promise<void> {
  const body = { prefix, ...(quiet === undefined ? {} : { quietMinutes: Number(quiet) }) };
  const send = (apply: boolean) => clientOf().call('stranger.dismissMany', { body: { ...body, apply }, reason });
  const look = await send(false);
  if (outputOf(command).json) return yes ? looked(await send(true)) : looked(look);
  if (look.count === 0) return out('no strangers');
  if (
    !yes &&
    !(await confirmed(`take ${look.count} ${look.count === 1 ? 'stranger' : 'strangers'} off the list?`, look.count))
  )
    return;
  const done = await send(true);
  out(done.count === 1 ? 'one stranger is off the list' : `${done.count} strangers are off the list`);
}

type Told = Pick<
  ReplyOf<'device.dhcp'>,
  'prefix' | 'address' | 'addressFrom' | 'silent' | 'noFile' | 'nextServer' | 'file' | 'options' | 'untold'
>;

const messageTypes = ['DISCOVER', 'REQUEST', 'INFORM'] as const;

interface ExplainOptions {
  relay?: string;
  message: string;
  asked?: string;
  class?: string;
  userClass?: string;
  circuit?: string;
  size?: string;
}

async function explain(ref: string, options: ExplainOptions, command: Command): Promise<void> {
  const message = messageTypes.find((type) => type === options.message.toUpperCase());
  if (message === undefined) throw new UsageError(`--message takes ${messageTypes.join(', ')}, not ${options.message}`);
  const seen = await clientOf().call('device.dhcp', { params: { ref }, query: { ...options, message } });
  if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
  const behind = seen.relay === null ? 'on the wire of the service' : `behind relay ${seen.relay}`;
  const rows: [string, string][] = [
    [seen.device, seen.client ?? 'no box'],
    ['boots', `${behind}${seen.prefix ? `, in ${seen.prefix}` : ''}`],
  ];
  told(seen, rows);
}

function told(seen: Told, rows: [string, string][]): void {
  if (seen.address) rows.push(['address', `${seen.address}   ${seen.addressFrom ?? ''}`]);
  if (seen.silent) rows.push(['no answer', seen.silent]);
  else if (seen.noFile) rows.push(['no file', seen.noFile]);
  else if (seen.file !== null) rows.push(['file', `${seen.file} at ${seen.nextServer ?? ''}`]);
  out(pairs(rows));
  if (seen.options.length > 0) {
    out('');
    out(
      table(
        ['code', 'option', 'value', 'bytes', 'from'],
        seen.options.map((o) => [
          String(o.code),
          o.name,
          o.value,
          o.bytes.length > 36 ? `${o.bytes.slice(0, 35)}…` : o.bytes,
          o.from,
        ]),
        new Set([0]),
      ),
    );
  }
  for (const { code, name, why } of seen.untold) out(`not told: ${code} ${name}, ${why}`);
}

async function replay(number: string, _options: object, command: Command): Promise<void> {
  const seen = await clientOf().call('boot.replay', { params: { id: number } });
  if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
  told(seen.now, [
    ['exchange', `#${seen.id}, a ${seen.what}, ${ago(seen.at)} ago`],
    ['then', seen.then.detail],
    ['now', seen.now.detail],
  ]);
  out('');
  if (seen.changes.length === 0) return out('it would be told the same');
  const changed = (value: string | null) => value ?? 'nothing';
  out(
    table(
      ['code', 'what changed', 'then', 'now'],
      seen.changes.map(({ code, name, then, now }) => [String(code ?? ''), name, changed(then), changed(now)]),
      new Set([0]),
    ),
  );
}

/** Waits until a sweep is over; one address takes a few seconds. */
async function ended(id: number): Promise<ReplyOf<'sweep.show'>> {
  for (;;) {
    const sweep = await clientOf().call('sweep.show', { params: { id: String(id) } });
    if (sweep.state === 'ended') return sweep;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}

const strangerTable = (items: ReplyOf<'stranger.list'>['items']): Table =>
  table(
    [
      'stranger',
      'serial',
      'mac',
      'class',
      'site',
      'relay',
      'port',
      'packets',
      'last',
      'address',
      'could be',
      'conflict',
      'settled',
    ],
    items.map((s) => [
      String(s.id),
      s.serial ?? '',
      s.mac || (s.address ?? ''),
      s.vendorClass ?? '',
      s.site ?? '',
      s.relay ?? '',
      s.circuit ?? '',
      String(s.packets),
      s.lastAt,
      s.address ?? '',
      s.candidates.map(({ device }) => device).join(' '),
      s.conflict ?? '',
      s.settledAt ?? '',
    ]),
  );

function addStrangers(program: Command): void {
  const strangers = program.command('stranger').description('Booting clients that match no device.');
  strangers
    .command('list')
    .description('strangers that nobody has recognised or refused yet')
    .option('--settled', 'those that were settled')
    .action(async (options: { settled?: boolean }, command: Command) => {
      const { items } = await clientOf().call('stranger.list', {
        query: { settled: options.settled ? 'true' : 'false' },
      });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (outputOf(command).csv) return out(strangerTable(items));
      if (items.length === 0) return out('no strangers');
      for (const s of items) {
        const rows: [string, string][] = [
          [`#${s.id}`, `${s.serial ?? 'no serial told'}, ${s.mac === '' ? 'MAC not known' : `MAC ${s.mac}`}`],
        ];
        if (s.says) rows.push(['says', s.says]);
        if (s.vendorClass) rows.push(['class', s.vendorClass]);
        rows.push([
          'where',
          [s.site?.toUpperCase(), s.relay && `relay ${s.relay}`, s.circuit && `port ${s.circuit}`]
            .filter(Boolean)
            .join(', ') || (isTalker(s) ? (s.prefix ?? '') : 'on the wire of the service'),
        ]);
        rows.push([
          'heard',
          `${s.packets} packets, the last ${ago(s.lastAt)} ago${s.address ? `, ${isTalker(s) ? 'from' : 'quarantined at'} ${s.address}` : ''}`,
        ]);
        if (s.conflict) rows.push(['conflict', s.conflict]);
        if (s.box) rows.push(['box', s.boxOf === null ? `${s.box}, ${boxWords(s.boxIs)}` : `${s.box}, of ${s.boxOf}`]);
        for (const c of s.candidates)
          rows.push(['could be', `${c.device}: ${c.why}\nzpine stranger recognise ${s.id} ${c.device}`]);
        if (s.settledAt) rows.push(['settled', s.device ? `as ${s.device}` : (s.settledAs ?? '')]);
        out(pairs(rows));
      }
    });
  strangers
    .command('recognise')
    .description('say which device a stranger is: its box is entered and fitted, and it boots through')
    .argument('<stranger>', 'its number')
    .argument('<device>')
    .option('--serial <serial>', 'where it did not tell its own')
    .option('--open <hours>', 'open its arrival window, too, for so long')
    .option('--keep-address', 'the address that it has becomes its own, and leaves the pool')
    .option('--reason <text>', 'why, where it contradicts the records or its box is not in order')
    .action(
      async (
        id: string,
        device: string,
        options: { serial?: string; keepAddress?: boolean; open?: string; reason?: string },
        command: Command,
      ) => {
        const { reason, open, ...more } = options;
        const seen = await clientOf().call('stranger.recognise', {
          params: { id: id.replace('#', '') },
          body: { device, ...more, ...hoursOf(open) },
          reason,
        });
        if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
        const named = seen.device ?? device;
        out(
          `${seen.serial ?? options.serial ?? strangerName(seen)} is ${named}; ${nextStep(named, seen.windowOpen === true)}`,
        );
      },
    );
  strangers
    .command('meet')
    .description('sign in to one that talks, by the rules of sweeps, and see what it is')
    .argument('<stranger>', 'its number')
    .action(async (id: string, _options: object, command: Command) => {
      const params = { id: id.replace('#', '') };
      const begun = await clientOf().call('stranger.meet', { params, body: {} });
      const sweep = await ended(begun.id);
      const [found] = sweep.found;
      if (outputOf(command).json) return out(JSON.stringify(sweep, null, 2));
      for (const remark of sweep.remarks) out(remark);
      if (sweep.ended !== null) out(sweep.ended);
      if (!found) return out(sweep.silent > 0 ? 'nobody answers there' : 'its SSH port is shut');
      out(`${found.address}: ${found.detail}${found.by === null ? '' : `, let in by ${found.by}`}`);
      if (found.met) out(`which device it is: zpine stranger list; or a new one: zpine sweep take ${sweep.id}`);
    });
  strangers
    .command('dismiss')
    .description('take a stranger off the list; after a day it comes back when it is heard of again')
    .argument('[stranger]', 'its number')
    .option('--all', 'all that are listed, after asking')
    .option('--prefix <prefix>', 'of them only those on this wire')
    .option('--quiet <minutes>', 'of them only those not heard of for so long')
    .option('--yes', 'without asking')
    .option('--reason <text>', 'why')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine stranger dismiss 12\n  zpine stranger dismiss --all --prefix 10.77.64.0/24 --quiet 30',
    )
    .action(async (id: string | undefined, options: DismissOptions, command: Command) => {
      const { reason } = options;
      if (options.all) return dismissAll(options, command);
      if (id === undefined) throw new UsageError('say the number of a stranger, or --all');
      const seen = await clientOf().call('stranger.dismiss', { params: { id: id.replace('#', '') }, body: {}, reason });
      out(`${strangerName(seen)} is off the list`);
    });
}

const boxWords = (condition: string | null): string =>
  condition === null || condition === 'stock' ? 'in stock' : `${condition}, fitted nowhere`;
