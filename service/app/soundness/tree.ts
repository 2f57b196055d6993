/** Which prefix lies in which, and which address in which: found by one walk over all blocks in their order. */
import type { Tx } from '../../store/tx.ts';
import { bytesOfNumber, forUpdate, numberOf, type Difference, type Look } from './look.ts';

interface Block {
  id: number;
  key: string;
  parent: number | null;
  first: bigint;
  last: bigint;
  /** The block around it, by the walk. */
  around: Block | undefined;
}

/** The blocks of a VRF and family by their first address, the larger one first, each with what is around it. */
async function blocksOf(tx: Tx, vrf: number, family: number): Promise<Block[]> {
  const rows = await tx.select<{
    id: number;
    natural_key: string;
    parent_id: number | null;
    cidr: Buffer;
    cidr_length: number;
  }>(
    `SELECT id, natural_key, parent_id, cidr, cidr_length FROM prefix WHERE vrf_id = ? AND cidr_family = ?
     ORDER BY cidr, cidr_length`,
    [vrf, family],
  );
  const open: Block[] = [];
  return rows.map((row) => {
    const first = numberOf(row.cidr, family);
    const size = 1n << BigInt((family === 4 ? 32 : 128) - row.cidr_length);
    while (open.length > 0 && (open.at(-1)?.last ?? 0n) < first) open.pop();
    const block: Block = {
      id: Number(row.id),
      key: row.natural_key,
      parent: row.parent_id === null ? null : Number(row.parent_id),
      first,
      last: first + size - 1n,
      around: open.at(-1),
    };
    open.push(block);
    return block;
  });
}

/** The innermost block that holds a value. */
function innermost(blocks: readonly Block[], value: bigint): Block | undefined {
  let [low, high] = [0, blocks.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((blocks[middle]?.first ?? 0n) <= value) low = middle + 1;
    else high = middle;
  }
  let block = blocks[low - 1];
  while (block && block.last < value) block = block.around;
  return block;
}

async function* worlds(tx: Tx): AsyncGenerator<{ vrf: number; family: 4 | 6 }> {
  for (const { id } of await tx.select<{ id: number }>('SELECT id FROM vrf ORDER BY id'))
    for (const family of [4, 6] as const) yield { vrf: Number(id), family };
}

/** Changes of shape lock the VRF first. */
const lockShape = (tx: Tx, vrf: number, locked: boolean): Promise<unknown> =>
  locked ? tx.select('SELECT id FROM vrf WHERE id = ? FOR UPDATE', [vrf]) : Promise.resolve();

const keyText = (block: Block | undefined, id: number | null): string =>
  block?.key ?? (id === null ? 'nothing' : `#${id}`);

export const prefixTree: Look = {
  async *parts(outer) {
    for await (const { vrf, family } of worlds(outer))
      yield async (tx, locked) => {
        await lockShape(tx, vrf, locked);
        const blocks = await blocksOf(tx, vrf, family);
        const known = new Map(blocks.map((block) => [block.id, block]));
        return blocks.flatMap((block): Difference[] => {
          const should = block.around?.id ?? null;
          if (should === block.parent) return [];
          return [
            {
              about: `what prefix ${block.key} lies in`,
              is: keyText(known.get(block.parent ?? 0), block.parent),
              should: keyText(block.around, null),
              mend: [['UPDATE prefix SET parent_id = ? WHERE id = ?', [should, block.id]]],
            },
          ];
        });
      };
  },
};

const SIZE = 2000;

export const addressesInTree: Look = {
  async *parts(outer) {
    for await (const { vrf, family } of worlds(outer)) {
      for (const table of ['address', 'resting'] as const)
        for (let after: bigint | undefined = -1n; after !== undefined;) {
          const from: bigint = after;
          let next: bigint | undefined;
          yield async (tx, locked) => {
            await lockShape(tx, vrf, locked);
            const blocks = await blocksOf(tx, vrf, family);
            const rows = await tx.select<{ address: Buffer; prefix_id: number }>(
              table === 'address'
                ? `SELECT address, prefix_id FROM address WHERE vrf_id = ? AND address_family = ? AND address >= ?
                   ORDER BY address LIMIT ${SIZE} ${forUpdate(locked)}`
                : `SELECT r.address, r.prefix_id FROM resting r JOIN prefix p ON p.id = r.prefix_id
                   WHERE p.vrf_id = ? AND p.cidr_family = ? AND r.address >= ? ORDER BY r.address LIMIT ${SIZE} ${forUpdate(locked)}`,
              [vrf, family, bytesOfNumber(from + 1n, family)],
            );
            const last = rows.at(-1);
            next = rows.length === SIZE && last ? numberOf(last.address, family) : undefined;
            const known = new Map(blocks.map((block) => [block.id, block]));
            return rows.flatMap((row): Difference[] => {
              const value = numberOf(row.address, family);
              const block = innermost(blocks, value);
              if (!block || block.id === Number(row.prefix_id)) return [];
              const key =
                table === 'address'
                  ? 'vrf_id = ? AND address_family = ? AND address = ?'
                  : 'prefix_id = ? AND address = ?';
              const values = table === 'address' ? [vrf, family, row.address] : [row.prefix_id, row.address];
              return [
                {
                  about: `the prefix of ${table === 'address' ? 'address' : 'resting address'} ${row.address.toString('hex')}`,
                  is: keyText(known.get(Number(row.prefix_id)), Number(row.prefix_id)),
                  should: block.key,
                  mend: [[`UPDATE ${table} SET prefix_id = ? WHERE ${key}`, [block.id, ...values]]],
                },
              ];
            });
          };
          after = next;
        }
    }
  },
};
