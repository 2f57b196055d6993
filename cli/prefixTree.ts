/** The tree of prefixes and the space of one, as text. */
import { countWords } from '@zpine/core/addressing/count';
import type { Command } from 'commander';
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { lastOf, parsePrefix, sizeOf } from '@zpine/core/addressing/prefix';
import type { Span } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import type { ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf } from './context.ts';
import { err, out, pairs, table, type Table } from './print.ts';

type Item = ReplyOf<'prefix.level'>['items'][number];
type Space = ReplyOf<'prefix.space'>;

const LEVEL = 200;

export function addPrefixTree(noun: Command): void {
  noun
    .command('tree')
    .description('prefixes inside one another, with how full they are')
    .argument('[prefix]', 'only what is inside this one')
    .option('--vrf <vrf>', 'the default VRF if not given')
    .option('--depth <n>', 'how many levels', '3')
    .addHelpText('after', '\nExample:\n  zpine prefix tree 10.77.0.0/16 --depth 1')
    .action(tree);
  noun
    .command('space')
    .description('what is taken and free in a prefix: counts, holes, and a map')
    .argument('<prefix>')
    .action(async (ref: string, _options: object, command: Command) => {
      const client = clientOf();
      const space = await client.call('prefix.space', { params: { ref } });
      if (outputOf(command).json) return out(JSON.stringify(space, null, 2));
      const { cidr } = await client.show('prefix', ref);
      const inside = space.children > 0 ? (await levelOf({ parent: ref }, LEVEL)).items : [];
      out(...spaceText(cidr, space, inside));
    });
}

const levelOf = (of: { parent: string } | { vrf?: string }, limit: number) =>
  clientOf().call('prefix.level', { query: { ...of, limit } });

async function tree(
  prefix: string | undefined,
  { vrf, depth }: { vrf?: string; depth: string },
  command: Command,
): Promise<void> {
  const lines: { item: Item; at: number }[] = [];
  let cut = 0;
  const walk = async (of: { parent: string } | { vrf?: string }, at: number): Promise<void> => {
    const { items, next } = await levelOf(of, LEVEL);
    if (next !== null) cut += 1;
    for (const item of items) {
      lines.push({ item, at });
      if (item.nested && at + 1 < Number(depth)) await walk({ parent: item.prefix }, at + 1);
    }
  };
  await walk(prefix === undefined ? (vrf === undefined ? {} : { vrf }) : { parent: prefix }, 0);
  if (outputOf(command).json)
    return out(
      JSON.stringify(
        lines.map(({ item }) => item),
        null,
        2,
      ),
    );
  if (lines.length === 0) return err('no prefixes here');
  out(
    table(
      ['prefix', 'taken', '', 'free', 'site', 'vlan', ''],
      lines.map(({ item, at }) => [
        `${'  '.repeat(at)}${item.prefix}${item.nested && at + 1 >= Number(depth) ? ' …' : ''}`,
        bar(item),
        `${item.fillPercent} %`,
        countWords(item.free),
        item.site ?? '',
        item.vlan?.split('/').at(-1) ?? '',
        item.description ?? '',
      ]),
      new Set([2, 3]),
    ),
  );
  if (cut > 0) err(`only the first ${LEVEL} of a level are shown; zpine prefix list has all`);
}

const BAR = 10;

/** `#` is given to prefixes inside, `=` taken otherwise. */
function bar({ fillPercent, givenPercent }: Item): string {
  const cells = (percent: number) => Math.min(BAR, Math.ceil((percent * BAR) / 100));
  const given = cells(givenPercent);
  return `${'#'.repeat(given)}${'='.repeat(Math.max(0, cells(fillPercent) - given))}`.padEnd(BAR, '.');
}

const ROWS = 8n;
const COLUMNS = 64n;
const HOLES = 12;

function spaceText(cidr: string, space: Space, inside: Item[]): (string | Table)[] {
  const facts: [string, string][] = [
    ['prefix', cidr],
    ['taken', `${space.fillPercent} %: ${space.assigned} addresses, ${space.children} prefixes inside`],
    ['free', `${countWords(space.free)} for fixed assignment${space.next ? `, the next is ${space.next}` : ''}`],
  ];
  if (space.resting.length > 0) facts.push(['resting', space.resting.map((one) => one.address).join(', ')]);
  if (space.runsOut) facts.push(['full about', `${space.runsOut}, if it goes on as in the last month`]);
  const p = mustParse(parsePrefix(cidr));
  const parts: (string | Table)[] = [pairs(facts)];
  if (sizeOf(p) >= ROWS * COLUMNS || space.children > 0) {
    const given = inside.map((item): Span => {
      const block = mustParse(parsePrefix(item.prefix.split('@')[0] ?? ''));
      return { first: block.first, last: lastOf(block) };
    });
    parts.push('', mapText(p.family, { first: p.first, last: lastOf(p) }, given, holesOf(space)));
  }
  if (space.holes.length > 0) {
    const rows = space.holes.slice(0, HOLES).map(({ first, last, fits }) => [first, last, fits]);
    parts.push('', table(['hole from', 'to', 'largest block'], rows));
  }
  if (space.holes.length > HOLES) parts.push(`and ${space.holes.length - HOLES} more`);
  return parts;
}

const holesOf = (space: Space): Span[] =>
  space.holes.map(({ first, last }) => ({
    first: mustParse(parseIp(first)).value,
    last: mustParse(parseIp(last)).value,
  }));

/** Eight rows to scale: `#` given to prefixes inside, `.` free, `+` some of both, `=` addresses. */
function mapText(family: 4 | 6, whole: Span, given: Span[], holes: Span[]): string {
  const size = whole.last - whole.first + 1n;
  const rows = size < ROWS ? size : ROWS;
  const columns = size / rows < COLUMNS ? size / rows : COLUMNS;
  const step = size / rows / columns;
  const lines: string[] = [];
  for (let row = 0n; row < rows; row += 1n) {
    const begin = whole.first + row * step * columns;
    let text = '';
    for (let column = 0n; column < columns; column += 1n) {
      const first = begin + column * step;
      const last = first + step - 1n;
      const touches = (spans: Span[]) => spans.some((span) => span.first <= last && first <= span.last);
      const [some, free] = [touches(given), touches(holes)];
      text += some && free ? '+' : some ? '#' : free ? '.' : '=';
    }
    lines.push(`${text}  ${formatIp({ family, value: begin })}`);
  }
  return `${lines.join('\n')}\n# given to prefixes inside   . free   + both   = addresses`;
}
