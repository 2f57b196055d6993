import { Option, type Command } from 'commander';
import { cellText } from '@zpine/contract/csv';
import { type AnyRecord, fieldsOf } from '@zpine/contract/kind';
import { stages } from '@zpine/contract/kinds/devices';
import { retireParts } from '@zpine/contract/retiring';
import type { ReplyOf } from '@zpine/contract/routes';
import { formatNumbers } from '@zpine/core/lists/numbers';
import { shortSeries } from '@zpine/core/naming/series';
import { kindOf } from '@zpine/contract/kinds';
import { assignedLine } from './addresses.ts';
import { addOperations, driftWords } from './comparing.ts';
import { clientOf, outputOf } from './context.ts';
import { hoursOf, nextStep } from './windows.ts';
import { forEach, type Selection } from './each.ts';
import { addFieldOptions, fieldsFrom, type Options } from './kindFields.ts';
import { ago, moment, out, pairs, stageText, table, type Table } from './print.ts';
import { confirmed, looked } from './prompt.ts';
import { UsageError } from './refusals.ts';

/** The verbs of devices beyond those of every kind, and their own way of being shown. */
export function addDeviceVerbs(noun: Command): void {
  const showing = noun.commands.find((c) => c.name() === 'show');
  showing?.action(async (key: string, _options: object, command: Command) => {
    const seen = await clientOf().call('device.overview', { params: { ref: key } });
    if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
    const { items } = await clientOf().call('cable.plugs', { query: { device: key } });
    out(...deviceText(seen, new Map(items.map((plug) => [plug.from.words, (plug.far ?? plug.to).words]))));
  });
  noun
    .command('stage')
    .description('move a device to another stage by hand')
    .argument('<device>', 'not needed with --where')
    .argument('[stage]', Object.keys(stages).join(', '))
    .option('--where <tests>', "instead of a device, all of a selection: 'site=ard'; asks by number")
    .option('--yes', 'with a selection: do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine device stage ard-acc-1 retired\n  zpine device stage retired --where 'label=old'",
    )
    .action((first: string, second: string | undefined, options: { reason?: string } & Selection) => {
      const { reason, where } = options;
      const [device, stage] = where === undefined ? [first, second] : [second, first];
      if (stage === undefined) throw new UsageError('name the stage as well');
      return forEach(device, options, async (ref) => {
        const moved = await clientOf().call('device.stage', { params: { ref }, body: { stage }, reason });
        const { key, stage: now } = moved as AnyRecord;
        out(`${key} is ${stageText(String(now))}`);
      });
    });
  addRetiring(noun);
  addOperations(noun);
  addDeclaring(noun);
  addHardwareVerbs(noun);
}

/** Shows what a device holds, asks, and gives it back. */
function addRetiring(noun: Command): void {
  noun
    .command('retire')
    .description('take a device out of use: lists its addresses, cables, box and place in a rack, and gives them back')
    .argument('<device>')
    .option('--keep <what>', `what it holds on to, with commas: ${retireParts.join(', ')}`)
    .addOption(
      new Option('--box <condition>', 'what becomes of its box')
        .choices(['stock', 'faulty', 'retired'])
        .default('stock'),
    )
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExample:\n  zpine device retire ard-acc-1 --box faulty --keep cables')
    .action(async (device: string, options: RetireOptions, command: Command) => {
      const keep = (options.keep ?? '').split(',').filter((word) => word !== '');
      for (const word of keep)
        if (!(retireParts as readonly string[]).includes(word))
          throw new UsageError(`--keep does not know "${word}"; it knows ${retireParts.join(', ')}`);
      const client = clientOf();
      const send = (apply: boolean) =>
        client.call('device.retire', {
          params: { ref: device },
          body: { keep: keep as (typeof retireParts)[number][], box: options.box as 'stock', apply },
          reason: options.reason,
        });
      const seen = await send(options.yes === true);
      if (outputOf(command).json) return looked(seen);
      out(
        table(
          ['what', 'which', 'becomes'],
          seen.items.map(({ kind, key, words, kept }) => [kind, key, kept ? 'kept' : words]),
        ),
      );
      if (!seen.applied) {
        const given = seen.items.filter((item) => !item.kept).length;
        if (!(await confirmed(`retire ${seen.device}${given > 0 ? ` and give back ${given}` : ''}?`))) return;
        await send(true);
      }
      out(`${seen.device} is ${stageText('retired')}`);
    });
}

interface RetireOptions {
  keep?: string;
  box: string;
  yes?: boolean;
  reason?: string;
}

/** One call that may be sent again, as scripts like it. */
function addDeclaring(noun: Command): void {
  const k = kindOf('device');
  const command = noun
    .command('declare')
    .description('create or update a device and its management address, in one call; running it again changes nothing')
    .argument('<name>');
  addFieldOptions(command, k, (name) => name !== 'name');
  command
    .option('--address <address>', 'this address instead of the next free one')
    .option('--from <address>', 'the next free one at or above this address')
    .option('--prefix <prefix>', 'another prefix than that of the management VLAN')
    .option('--family <4|6>')
    .option('--no-address', 'without an address')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExample:\n  zpine device declare ske-acc-2 --model larkfield/lf-24 --duty access --site ske',
    )
    .action(async (name: string, options: Options, self: Command) => {
      const place = Object.fromEntries(
        ['address', 'from', 'prefix', 'family'].flatMap((one) =>
          typeof options[one] === 'string' ? [[one, options[one]]] : [],
        ),
      );
      const body = { name, fields: fieldsFrom(k, options), withAddress: options.address !== false, ...place };
      const seen = await clientOf().call('device.declare', { body, reason: options.reason as string | undefined });
      if (outputOf(self).json) return out(JSON.stringify(seen, null, 2));
      out(`${seen.device} ${seen.action}   ${stageText(seen.stage)}`);
      if (seen.management) out(assignedLine(seen.management));
    });
}

function addHardwareVerbs(noun: Command): void {
  noun
    .command('next')
    .description('the next name by the pattern of a place and a duty: zpine setting explain DEVICE naming')
    .option('--site <site>')
    .option('--rack <rack>')
    .option('--duty <duty>')
    .option('--model <model>')
    .addHelpText('after', '\nExample:\n  zpine device next --site ske --duty access')
    .action(async (query: Record<string, string>, command: Command) => {
      const seen = await clientOf().call('device.nextName', { query });
      out(outputOf(command).json ? JSON.stringify(seen, null, 2) : seen.name);
    });
  noun
    .command('fit')
    .description('put another box under the identity of a device')
    .argument('<device>')
    .argument('<serial>', 'of the box, or its MAC; one that is not known yet is entered')
    .option('--mac <mac>', 'of a box that is not known yet')
    .option('--open <hours>', 'open its arrival window, too, for so long')
    .option('--before <condition>', 'what becomes of the box that was there: faulty, stock or retired', 'faulty')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExample:\n  zpine device fit ard-acc-1 LF24-0201-11')
    .action(
      async (ref: string, box: string, options: { mac?: string; before: string; open?: string; reason?: string }) => {
        const { reason, mac, before, open } = options;
        const body = { box, before: before as 'faulty', ...(mac === undefined ? {} : { mac }), ...hoursOf(open) };
        const fitted = (await clientOf().call('device.fit', { params: { ref }, body, reason })) as AnyRecord;
        const device = String(fitted.device);
        const { items } = await clientOf().call('arrival.list', { query: { device, open: 'true', limit: '1' } });
        out(`${String(fitted.serial ?? fitted.mac)} is fitted as ${device}; ${nextStep(device, items.length > 0)}`);
      },
    );
  noun
    .command('forget-key')
    .description('forget the pinned SSH host key of a device: the next one that it shows is pinned')
    .argument('<device>')
    .option('--reason <text>', 'why, for the history')
    .action(async (ref: string, { reason }: { reason?: string }) => {
      await clientOf().call('device.forgetHostKey', { params: { ref }, reason });
      out(`the host key of ${ref} is forgotten`);
    });
}

/** `far` has, by port, what the cable in it leads to. */
/** What stands in lines of its own, or in the sentence of the head. */
const told = new Set([
  'name',
  'stage',
  'duty',
  'model',
  'site',
  'rack',
  'positionU',
  'face',
  'management',
  'dialect',
  'owner',
  'labels',
  'note',
]);

/** The fields that are told nowhere else, as far as something stands in them. */
const furtherRows = (device: AnyRecord): [string, string][] =>
  fieldsOf(kindOf('device')).flatMap(([name]): [string, string][] => {
    const text = told.has(name) ? '' : cellText(kindOf('device'), name, device);
    return text === '' ? [] : [[name, text]];
  });

function deviceText(
  seen: ReplyOf<'device.overview'>,
  far: ReadonlyMap<string, string> = new Map(),
): (string | Table)[] {
  const device = seen.device as AnyRecord;
  const box = seen.box as AnyRecord | null;
  const what = [device.duty, device.model && String(device.model).split('/').at(-1)?.toUpperCase(), box?.serial]
    .filter(Boolean)
    .join(' · ');
  const m = seen.management;
  const place = device.rack
    ? [device.rack, device.positionU && `U ${String(device.positionU)}`, device.face].filter(Boolean).join(' ')
    : device.site;
  /** Where it may do without, nothing is to be done. */
  const lacking = (lack: string): string => {
    const found = seen.lacks.find((one) => one.lack === lack);
    return found ? `none; ${found.remedy}` : 'none';
  };
  const drift =
    seen.drift && seen.drift.lines > 0
      ? `, differs in ${seen.drift.lines} line${seen.drift.lines === 1 ? '' : 's'}`
      : '';
  const rows: [string, string][] = [
    [device.key, `${stageText(String(device.stage))} since ${ago(seen.stageSince)}${drift}    ${what}`],
    ['place', String(place ?? lacking('no-rack'))],
    [
      'management',
      m
        ? `${m.address}/${m.length} on ${m.vlan ? `vlan ${m.vlan.split('/').at(-1)}` : (m.interface?.split(':').at(-1) ?? '')}${m.gateway ? `, gateway ${m.gateway}` : ''}`
        : lacking('no-management'),
    ],
  ];
  if (!box) rows.push(['box', lacking('no-box')]);
  else if (box.mac) rows.push(['mac', String(box.mac)]);
  rows.push(['dialect', seen.dialect ? `${seen.dialect}${device.dialect ? ', its own' : ''}` : lacking('no-dialect')]);
  rows.push(...furtherRows(device));
  for (const { lack, detail, remedy } of seen.lacks)
    if (lack.endsWith('-off-site')) rows.push(['left behind', `${detail}; ${remedy}`]);
  if (seen.drift) rows.push(['compared', driftWords(seen.drift)]);
  if (seen.hostKey) rows.push(['host key', `${seen.hostKey.fingerprint}, pinned ${ago(seen.hostKey.pinnedAt)} ago`]);
  if (seen.windowCloses) rows.push(['window', `open until ${moment(seen.windowCloses)}`]);
  if (device.owner) rows.push(['owner', String(device.owner)]);
  if (Array.isArray(device.labels)) rows.push(['labels', device.labels.join(', ')]);
  if (device.note) rows.push(['note', String(device.note)]);
  const interfaces = seen.interfaces as AnyRecord[];
  if (interfaces.length === 0) return [pairs(rows)];
  const held = (seen.addresses as AnyRecord[]).map((a): [string, string] => [String(a.interface), String(a.address)]);
  const addresses = (i: AnyRecord) =>
    held
      .filter(([on]) => on === i.key)
      .map(([, address]) => address)
      .join(' ');
  const plain = (i: AnyRecord) =>
    i.form === 'port' &&
    i.enabled &&
    !i.mode &&
    !i.description &&
    !i.memberOf &&
    !far.get(String(i.key)) &&
    addresses(i) === '';
  const lines = interfaces
    .filter((i) => !plain(i))
    .map((i) => [
      String(i.name),
      String(i.form),
      i.enabled ? 'on' : 'off',
      String(i.mode ?? (i.memberOf ? `in ${ofDevice(i.memberOf)}` : '')),
      vlanText(i),
      addresses(i),
      far.get(String(i.key)) ?? '',
      String(i.description ?? ''),
    ]);
  const others = shortSeries(interfaces.filter(plain).map((i) => String(i.name)));
  const rest = others.length > 0 ? [`nothing said yet: ${others.join(' ')}`] : [];
  const heads = ['interface', 'form', 'state', 'mode', 'vlan', 'address', 'plugged to', 'description'];
  return [pairs(rows), '', ...(lines.length > 0 ? [table(heads, lines)] : []), ...rest];
}

const ofDevice = (key: unknown): string => String(key).split(':').at(-1) ?? '';

/** `304`, `t 304, 316` for tagged ones. */
function vlanText(i: AnyRecord): string {
  const own = i.vlan ? (String(i.vlan).split('/').at(-1) ?? '') : '';
  const tagged = Array.isArray(i.tagged) ? `t ${formatNumbers(i.tagged.map(Number))}` : '';
  return [own, i.tag ? `tag ${String(i.tag)}` : '', tagged].filter(Boolean).join(', ');
}
