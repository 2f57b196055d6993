/** Blocks carved out of prefixes, what is where, and what people otherwise work out by hand. */
import { Option, type Command } from 'commander';
import { carveWays, type CarveWay } from '@zpine/core/addressing/carve';
import type { FoundAt } from '@zpine/contract/addressingRoutes';
import type { BodyIn, ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf } from './context.ts';
import { leaseWords } from './leasing.ts';
import { ago, err, out, pairs, table } from './print.ts';
import { confirmed, looked } from './prompt.ts';
import { UsageError } from './refusals.ts';

interface CarveOptions extends Record<string, string | boolean | undefined> {
  count: string;
  way: CarveWay;
  gateway: 'first' | 'last' | 'none';
  yes?: boolean;
  reason?: string;
}

export function addPrefixVerbs(noun: Command): void {
  const carving = noun
    .command('carve')
    .description('the next free blocks of a size in a prefix: shows which, then asks')
    .argument('<prefix>')
    .argument('<length>', 'such as 26, or /26')
    .option('--count <n>', 'how many', '1')
    .addOption(
      new Option('--way <way>', 'the lowest place, the tightest hole, or with room to grow')
        .choices([...carveWays])
        .default('first'),
    )
    .addOption(new Option('--gateway <which>').choices(['first', 'last', 'none']).default('none'));
  for (const name of ['description', 'site', 'vlan', 'use', 'owner']) carving.option(`--${name} <value>`);
  carving
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExample:\n  zpine prefix carve 10.77.80.0/20 24 --count 3 --gateway first --site lum')
    .action(carve);
  addReshaping(noun, 'split', 'a prefix into parts of one size, in its place: shows which, then asks');
  addReshaping(noun, 'resize', 'a prefix made larger or smaller in its place; nothing in use is cut off');
  noun
    .command('merge')
    .description('several prefixes that make up a larger one into that one')
    .argument('<prefix...>')
    .option('--description <text>')
    .option('--gateway <address>', 'which it is, where the parts have several')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .action(async (prefixes: string[], options: Record<string, string | boolean>, command: Command) => {
      const { yes, reason, ...more } = options as { yes?: boolean; reason?: string };
      const send = (apply: boolean) => clientOf().call('prefix.merge', { body: { prefixes, ...more, apply }, reason });
      await reshape(send, yes === true, command);
    });
  noun
    .command('fits')
    .description('where a block of a size would still fit')
    .argument('<length>')
    .option('--site <site>')
    .option('--vrf <vrf>')
    .addOption(new Option('--family <family>').choices(['4', '6']))
    .action(async (length: string, options: Record<string, string>, command: Command) => {
      const { items } = await clientOf().call('prefix.fits', {
        query: { length: lengthOf(length), ...options },
      });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err(`no room for a /${lengthOf(length)} here`);
      const rows = items.map((item) => [item.prefix, item.first, item.blocks, item.description ?? '']);
      out(table(['in', 'next', 'blocks', ''], rows, new Set([2])));
    });
}

function addReshaping(noun: Command, verb: 'split' | 'resize', about: string): void {
  noun
    .command(verb)
    .description(about)
    .argument('<prefix>')
    .argument('<length>')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .action((ref: string, length: string, { yes, reason }: { yes?: boolean; reason?: string }, command: Command) => {
      const body = { length: lengthOf(length) };
      const send = (apply: boolean) =>
        clientOf().call(`prefix.${verb}`, { params: { ref }, body: { ...body, apply }, reason });
      return reshape(send, yes === true, command);
    });
}

/** Shows what would go and what would come, asks, and does it. */
async function reshape(
  send: (apply: boolean) => Promise<ReplyOf<'prefix.split'>>,
  yes: boolean,
  command: Command,
): Promise<void> {
  const seen = await send(yes);
  if (outputOf(command).json) return looked(seen);
  const words = `${seen.removed.join(', ')} → ${seen.added.join(', ')}`;
  out(words);
  for (const { prefix, field, value } of seen.dropped) err(`not taken over: ${field} of ${prefix}, ${value}`);
  if (seen.applied) return;
  if (!(await confirmed('do this?'))) return;
  await send(true);
  out('saved');
}

const lengthOf = (text: string): number => {
  const [, digits] = /^\/?(\d{1,3})$/.exec(text) ?? [];
  if (digits === undefined) throw new UsageError(`"${text}" is not a length: 26, or /26`);
  return Number(digits);
};

async function carve(ref: string, length: string, options: CarveOptions, command: Command): Promise<void> {
  const { count, way, gateway, yes, reason, description, site, vlan, use, owner } = options;
  const fields = Object.fromEntries(
    Object.entries({ description, site, vlan, use, owner }).filter(([, value]) => typeof value === 'string'),
  );
  const body = { length: lengthOf(length), count: Number(count), way, gateway, ...fields } as BodyIn<'prefix.carve'>;
  const send = (apply: boolean) =>
    clientOf().call('prefix.carve', { params: { ref }, body: { ...body, apply }, reason });
  const seen = await send(yes === true);
  if (outputOf(command).json) return looked(seen);
  out(
    table(
      ['prefix', 'gateway'],
      seen.items.map((item) => [item.cidr, item.gateway ?? '']),
    ),
  );
  const words = `${seen.items.length} prefix${seen.items.length === 1 ? '' : 'es'}`;
  if (seen.applied) return out(`added ${words} in ${ref}`);
  if (!(await confirmed(`add ${words}?`, seen.items.length))) return;
  out(`added ${(await send(true)).items.length} in ${ref}`);
}

export function addLinking(noun: Command): void {
  noun
    .command('link')
    .description('both ends of a link at once: a /31 or /127, an address each, and each says where it leads')
    .argument('<interface>')
    .argument('[other]', 'found by the cable if not given')
    .requiredOption('--in <prefix>', 'where the next block of two is taken from, or such a block itself')
    .option('--preview', 'only say what it would be')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExample:\n  zpine address link har-xr-1:cu2 ske-xr-1:cu1 --in 10.77.254.0/24')
    .action(
      async (
        from: string,
        to: string | undefined,
        options: { in: string; preview?: boolean; reason?: string },
        command: Command,
      ) => {
        const { preview, reason, in: within } = options;
        const link = (apply: boolean) => {
          const body = { from, ...(to === undefined ? {} : { to }), in: within, apply };
          return clientOf().call('address.link', { body, reason });
        };
        const made = await link(preview !== true || outputOf(command).json);
        if (outputOf(command).json) return out(JSON.stringify(made, null, 2));
        out(
          table(
            ['interface', 'address'],
            made.ends.map((end) => [end.interface, end.address]),
          ),
        );
        out(`${made.prefix}${made.applied ? '' : ': not saved'}`);
        if (preview) await link(true);
      },
    );
}

export function addLookups(program: Command): void {
  program
    .command('lookup')
    .description('what an address is, who has it and had it, where it is plugged; or what lies in a prefix')
    .argument('<text>', 'an address or a prefix')
    .option('--vrf <vrf>', 'all of them if not given')
    .addHelpText('after', '\nExamples:\n  zpine lookup 10.77.16.11\n  zpine lookup 10.77.16.0/20')
    .action(async (q: string, { vrf }: { vrf?: string }, command: Command) => {
      const query = { q, ...(vrf === undefined ? {} : { vrf }) };
      const seen = await clientOf().call('address.lookup', { query });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      if (seen.found.length === 0) return err(`nothing is known of ${q}: no prefix covers it, and nothing lies in it`);
      out(seen.found.map((one) => foundText(one, seen.is)).join('\n\n'));
    });
  program
    .command('overlaps')
    .description('the same space in two VRFs, and prefixes that stand in one of another site')
    .argument('[prefix]', 'only what overlaps this one')
    .action(async (within: string | undefined, _options: object, command: Command) => {
      const seen = await clientOf().call('prefix.overlaps', { query: within === undefined ? {} : { in: within } });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      const words = { same: 'is the same as', holds: 'holds' };
      const named = (one: { prefix: string; site: string | null }) =>
        one.site === null ? one.prefix : `${one.prefix} (${one.site.toUpperCase()})`;
      const rows = [
        ...seen.overlaps.map(({ one, other, relation }) => [named(one), words[relation], named(other)]),
        ...seen.strays.map((one) => [
          named(one),
          'stands in another site:',
          named({ prefix: one.inside, site: one.siteThere }),
        ]),
      ];
      if (rows.length === 0) return err('nothing overlaps');
      out(table(['prefix', '', ''], rows));
      const { overlaps, strays } = seen.count;
      if (overlaps + strays > rows.length) err(`${rows.length} of ${overlaps + strays}`);
    });
  program
    .command('convert')
    .description('masks, wildcards, ranges as prefixes, reverse names, and the way back from each')
    .argument('<text...>', '10.0.0.9/22; 10.0.0.9 255.255.252.0; 10.0.0.5-10.0.0.9; a mask; a reverse name')
    .action(async (texts: string[], _options: object, command: Command) => {
      const seen = await clientOf().call('address.convert', { query: { text: texts.join(' ') } });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      out(pairs(seen.facts.map(({ name, value }): [string, string] => [name, value])));
    });
}

const prefixWords = (one: FoundAt['covering'][number]): string =>
  [one.prefix, one.description, one.vlan && `VLAN ${one.vlan}`, one.use].filter(Boolean).join('  ');

function foundText(one: FoundAt, is: 'address' | 'prefix'): string {
  const rows: [string, string][] = [['vrf', one.vrf]];
  if (is === 'address') {
    const { holder } = one;
    rows.push([
      'held by',
      holder
        ? holder.carriers.length > 0
          ? `${holder.carriers.join(', ')}: shared`
          : (holder.interface ?? `nobody: reserved${holder.description ? `, ${holder.description}` : ''}`)
        : (one.kept ?? 'nobody: free'),
    ]);
    if (one.lease) rows.push(['lease', leaseWords(one.lease)]);
    if (holder?.place) rows.push(['stands at', holder.place]);
    if (holder?.plugged) rows.push(['plugged to', holder.plugged]);
  }
  if (one.covering.length > 0) rows.push(['inside', one.covering.map(prefixWords).join('\n')]);
  if (one.before.length > 0)
    rows.push([
      'history',
      one.before
        .map((b) => `${ago(b.at)} ago  ${b.action} by ${b.actor}${b.interface ? `  ${b.interface}` : ''}`)
        .join('\n'),
    ]);
  if (is === 'prefix') {
    const more = (count: number, shown: number) => (count > shown ? `\nand ${count - shown} more` : '');
    const { prefixes, addresses, count } = one;
    if (count.prefixes > 0)
      rows.push(['prefixes', prefixes.map(prefixWords).join('\n') + more(count.prefixes, prefixes.length)]);
    if (count.addresses > 0)
      rows.push([
        'addresses',
        addresses.map((a) => [a.address, a.interface ?? a.description ?? 'reserved'].join('  ')).join('\n') +
          more(count.addresses, addresses.length),
      ]);
  }
  return pairs(rows);
}
