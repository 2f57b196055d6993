/** Free space of prefixes: spans and counts, from what lies in them and what they keep. */
import {
  addressText,
  bytesOfNumber,
  forUpdate,
  numberOf,
  ranges,
  type Difference,
  type Look,
  type Statement,
} from './look.ts';

interface Row {
  id: number;
  natural_key: string;
  vrf_id: number;
  cidr: Buffer;
  cidr_family: number;
  cidr_length: number;
  gateway: Buffer | null;
  held_back: string | null;
  pool: string | null;
  quarantine: string | null;
}
type Stretch = [first: bigint, last: bigint];

/** An address of a range that is kept as text. */
function readAddress(text: string): bigint {
  if (text.includes('.') && !text.includes(':'))
    return text.split('.').reduce((sum, part) => sum * 256n + BigInt(part), 0n);
  const [head = '', tail] = text.split('::');
  const groups = (part: string): string[] => (part === '' ? [] : part.split(':'));
  const [front, back] = [groups(head), tail === undefined ? [] : groups(tail)];
  const zeros = Array.from({ length: tail === undefined ? 0 : 8 - front.length - back.length }, () => '0');
  return [...front, ...zeros, ...back].reduce((sum, group) => (sum << 16n) + BigInt(`0x${group}`), 0n);
}

const readRanges = (text: string | null): Stretch[] =>
  (text ?? '')
    .split(/[,;]/)
    .map((part) => part.trim())
    .filter((part) => part !== '')
    .map((part) => {
      const [first = '', last = first] = part.split('-').map((end) => end.trim());
      return [readAddress(first), readAddress(last)];
    });

/** What is left of a block, by sweeping once over what is taken. */
function left(block: Stretch, taken: Stretch[]): Stretch[] {
  const out: Stretch[] = [];
  let at = block[0];
  for (const [first, last] of [...taken].sort((a, b) => (a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0))) {
    if (first > at && at <= block[1]) out.push([at, first - 1n < block[1] ? first - 1n : block[1]]);
    if (last + 1n > at) at = last + 1n;
  }
  if (at <= block[1]) out.push([at, block[1]]);
  return out;
}

/** The length of the largest aligned block that fits into a stretch. */
function largestInside([first, last]: Stretch, bits: number): number {
  for (let length = 0; length <= bits; length += 1) {
    const size = 1n << BigInt(bits - length);
    const begin = first % size === 0n ? first : first + size - (first % size);
    if (begin + size - 1n <= last) return length;
  }
  return bits;
}

const SIZE = 100;

export const freeSpace: Look = {
  async *parts(outer) {
    for await (const { after, to } of ranges(outer, 'prefix', SIZE))
      yield async (tx, locked) => {
        const where = 'id > ? AND id <= ?';
        if (locked)
          await tx.select(
            `SELECT v.id FROM vrf v WHERE v.id IN (SELECT vrf_id FROM prefix WHERE ${where}) ORDER BY v.id FOR UPDATE`,
            [after, to],
          );
        const spaces = await tx.select<{ id: number; prefix_id: number; holds: 'fixed' | 'blocks'; free: string }>(
          `SELECT id, prefix_id, holds, free FROM space WHERE prefix_id > ? AND prefix_id <= ? ORDER BY id ${forUpdate(locked)}`,
          [after, to],
        );
        const rows = await tx.select<Row>(
          `SELECT id, natural_key, vrf_id, cidr, cidr_family, cidr_length, gateway, held_back, pool, quarantine FROM prefix WHERE ${where} ORDER BY id`,
          [after, to],
        );
        const spans = await tx.select<{ space_id: number; first: Buffer; last: Buffer; fit: number }>(
          `SELECT f.space_id, f.first, f.last, f.fit FROM free_span f JOIN space s ON s.id = f.space_id
           WHERE s.prefix_id > ? AND s.prefix_id <= ? ORDER BY f.space_id, f.last`,
          [after, to],
        );
        const held = await tx.select<{ prefix_id: number; first: Buffer; length: number; what: string }>(
          `SELECT parent_id AS prefix_id, cidr AS first, cidr_length AS length, 'block' AS what FROM prefix WHERE parent_id > ? AND parent_id <= ?
           UNION ALL SELECT prefix_id, address, 255, 'address' FROM address WHERE prefix_id > ? AND prefix_id <= ?
           UNION ALL SELECT prefix_id, address, 255, 'resting' FROM resting WHERE prefix_id > ? AND prefix_id <= ?`,
          [after, to, after, to, after, to],
        );
        const byPrefix = new Map<number, typeof held>();
        for (const one of held) {
          const list = byPrefix.get(Number(one.prefix_id)) ?? [];
          list.push(one);
          byPrefix.set(Number(one.prefix_id), list);
        }
        const bySpace = new Map<number, typeof spans>();
        for (const one of spans) {
          const list = bySpace.get(Number(one.space_id)) ?? [];
          list.push(one);
          bySpace.set(Number(one.space_id), list);
        }
        const out: Difference[] = [];
        for (const row of rows) {
          const { cidr_family: family, cidr_length: length } = row;
          const bits = family === 4 ? 32 : 128;
          const first = numberOf(row.cidr, family);
          const block: Stretch = [first, first + (1n << BigInt(bits - length)) - 1n];
          const inside = (byPrefix.get(Number(row.id)) ?? []).map((one): { what: string; at: Stretch } => {
            const begin = numberOf(one.first, family);
            return {
              what: one.what,
              at: [begin, one.length === 255 ? begin : begin + (1n << BigInt(bits - one.length)) - 1n],
            };
          });
          const edges: Stretch[] =
            bits - length < 2
              ? []
              : family === 4
                ? [
                    [block[0], block[0]],
                    [block[1], block[1]],
                  ]
                : [[block[0], block[0]]];
          const kept = [
            ...readRanges(row.held_back),
            ...readRanges(row.pool),
            ...readRanges(row.quarantine),
            ...(row.gateway ? [[numberOf(row.gateway, family), numberOf(row.gateway, family)] as Stretch] : []),
          ];
          const blocks = inside.filter(({ what }) => what !== 'resting').map(({ at }) => at);
          const should = {
            blocks: left(block, blocks),
            fixed: left(block, [...inside.map(({ at }) => at), ...edges, ...kept]),
          };
          for (const holds of ['fixed', 'blocks'] as const) {
            const words = `prefix ${row.natural_key}, free for ${holds === 'fixed' ? 'fixed assignment' : 'blocks'}`;
            const space = spaces.find((one) => Number(one.prefix_id) === Number(row.id) && one.holds === holds);
            const count = should[holds].reduce((sum, [from, end]) => sum + end - from + 1n, 0n);
            const text = should[holds].map((one) => `${one.join('-')}/${largestInside(one, bits)}`).join(' ');
            const is = (bySpace.get(Number(space?.id)) ?? [])
              .map((one) => `${numberOf(one.first, family)}-${numberOf(one.last, family)}/${one.fit}`)
              .join(' ');
            if (space && BigInt(space.free) === count && is === text) continue;
            const shown = (list: Stretch[]) =>
              list
                .slice(0, 3)
                .map(([from, end]) => `${addressText(from, family)}-${addressText(end, family)}`)
                .join(', ');
            const found = (bySpace.get(Number(space?.id)) ?? []).map((one): Stretch => [
              numberOf(one.first, family),
              numberOf(one.last, family),
            ]);
            out.push({
              about: words,
              is: space ? `${space.free}: ${shown(found)}` : 'not kept at all',
              should: `${count}: ${shown(should[holds])}`,
              mend: mending(Number(row.id), holds, space === undefined, should[holds], count, family, bits),
            });
          }
        }
        return out;
      };
  },
};

const AT_ONCE = 500;

function mending(
  prefix: number,
  holds: string,
  fresh: boolean,
  free: Stretch[],
  count: bigint,
  family: number,
  bits: number,
): Statement[] {
  const slices: Stretch[][] = [];
  for (let at = 0; at < free.length; at += AT_ONCE) slices.push(free.slice(at, at + AT_ONCE));
  return [
    ...(fresh ? [['INSERT IGNORE INTO space (prefix_id, holds) VALUES (?, ?)', [prefix, holds]] as const] : []),
    [
      'DELETE f FROM free_span f JOIN space s ON s.id = f.space_id WHERE s.prefix_id = ? AND s.holds = ?',
      [prefix, holds],
    ],
    ...slices.map((slice): Statement => [
      `INSERT INTO free_span (space_id, first, last, fit) ${slice
        .map(() => 'SELECT id, ?, ?, ? FROM space WHERE prefix_id = ? AND holds = ?')
        .join(' UNION ALL ')}`,
      slice.flatMap((one) => [
        bytesOfNumber(one[0], family),
        bytesOfNumber(one[1], family),
        largestInside(one, bits),
        prefix,
        holds,
      ]),
    ]),
    ['UPDATE space SET free = ? WHERE prefix_id = ? AND holds = ?', [count, prefix, holds]],
  ];
}

/** Samples of the past cannot be worked out again; what could never have been can be told. */
export const fillSamples: Look = {
  async *parts(outer) {
    for await (const { after, to } of ranges(outer, 'prefix', 1000))
      yield async (tx, locked) => {
        const rows = await tx.select<{
          prefix_id: number;
          natural_key: string;
          day: string;
          free: string;
          today: string;
          cidr_family: number;
          cidr_length: number;
        }>(
          `SELECT s.prefix_id, p.natural_key, DATE_FORMAT(s.day, '%Y-%m-%d') AS day, s.free,
             DATE_FORMAT(UTC_DATE(), '%Y-%m-%d') AS today, p.cidr_family, p.cidr_length
           FROM fill_sample s JOIN prefix p ON p.id = s.prefix_id WHERE s.prefix_id > ? AND s.prefix_id <= ? ${forUpdate(locked)}`,
          [after, to],
        );
        return rows.flatMap((row): Difference[] => {
          const size = 1n << BigInt((row.cidr_family === 4 ? 32 : 128) - row.cidr_length);
          const odd = BigInt(row.free) > size || BigInt(row.free) < 0n || row.day > row.today;
          if (!odd) return [];
          return [
            {
              about: `sample of prefix ${row.natural_key} for ${row.day}`,
              is: `${row.free} free`,
              should: row.day > row.today ? 'no sample of days to come' : `at most ${size}`,
              mend: [['DELETE FROM fill_sample WHERE prefix_id = ? AND day = ?', [row.prefix_id, row.day]]],
            },
          ];
        });
      };
  },
};
