/**
 * Many prefixes take their places in the tree at once: the tree of the stretch is worked out in memory, in one pass,
 * and only what is different is written. One prefix alone is cheaper to place by itself.
 */
import { lastOf, parsePrefix, truncations, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { bitsOf, type Family } from '@zpine/core/addressing/ip';
import { keptSpans, spanText } from '@zpine/core/addressing/ranges';
import { freeWithin, type Span } from '@zpine/core/addressing/spans';
import { innermost, treeOf, type Node } from '@zpine/core/addressing/tree';
import { mustParse } from '@zpine/core/fault';
import { grouped } from '@zpine/core/lists/grouped';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import { bytesOf, ipText, lockSpaces, valueOf, withheld } from '../../store/spans.ts';
import { createFilledSpaces, occupyMany, type NewSpace } from '../../store/spansInBulk.ts';
import type { Tx } from '../../store/tx.ts';
import { keptByDraft, keptWords } from './kept.ts';
import type { Draft } from '../records/draft.ts';

/** From so many on it pays. */
export const MANY = 8;

const SLICE = 500;

/** A block of the tree: a prefix that stands, or one on its way in (without an id). */
interface Block extends Prefix {
  id: number | null;
  parent: number | null;
  key: string;
  draft?: Draft;
}

interface Held {
  id: number;
  value: bigint;
  prefix: number;
}

const spanOfBlock = (p: Prefix): Span => ({ first: p.first, last: lastOf(p) });
const hull = (blocks: readonly Prefix[]): Span => ({
  first: blocks.reduce((least, p) => (p.first < least ? p.first : least), blocks[0]?.first ?? 0n),
  last: blocks.reduce((most, p) => (lastOf(p) > most ? lastOf(p) : most), 0n),
});

/** What stands in a stretch, and what is around it. */
async function standing(tx: Tx, vrf: number, family: Family, stretch: Span): Promise<Block[]> {
  const host: Prefix = { family, first: stretch.first, length: bitsOf(family) };
  const around = [host, ...truncations(host)];
  const rows = await tx.select<{
    id: number;
    natural_key: string;
    cidr: Buffer;
    cidr_length: number;
    parent_id: number | null;
  }>(
    `SELECT id, natural_key, cidr, cidr_length, parent_id FROM prefix
       WHERE vrf_id = ? AND cidr_family = ? AND cidr BETWEEN ? AND ?
     UNION SELECT id, natural_key, cidr, cidr_length, parent_id FROM prefix
       WHERE vrf_id = ? AND cidr_family = ? AND (cidr, cidr_length) IN (${around.map(() => '(?, ?)').join(', ')})`,
    [
      vrf,
      family,
      bytesOf(family, stretch.first),
      bytesOf(family, stretch.last),
      vrf,
      family,
      ...around.flatMap((p) => [bytesOf(family, p.first), p.length]),
    ],
  );
  return rows.map((row) => ({
    id: Number(row.id),
    parent: row.parent_id === null ? null : Number(row.parent_id),
    key: row.natural_key,
    family,
    first: valueOf(row.cidr, family),
    length: row.cidr_length,
  }));
}

/** What lies directly in some prefixes, within a stretch: addresses that are taken, or that rest. */
async function occupiedIn(
  tx: Tx,
  table: 'address' | 'resting',
  prefixes: readonly number[],
  family: Family,
  stretch: Span,
): Promise<Held[]> {
  if (prefixes.length === 0) return [];
  const id = table === 'address' ? 'id' : '0';
  const rows = await tx.select<{ id: number; address: Buffer; prefix_id: number }>(
    `SELECT ${id} AS id, address, prefix_id FROM ${table} WHERE prefix_id IN (?) AND address BETWEEN ? AND ?`,
    [[...prefixes], bytesOf(family, stretch.first), bytesOf(family, stretch.last)],
  );
  return rows.map((row) => ({
    id: Number(row.id),
    value: valueOf(row.address, family),
    prefix: Number(row.prefix_id),
  }));
}

/** The prefixes that stood before and are directly around some that are new. */
const aroundNew = (nodes: readonly Node<Block>[], isNew: (block: Block) => boolean): number[] => [
  ...new Set(
    nodes.flatMap(({ block, parent }) =>
      isNew(block) && parent && !isNew(parent.block) && parent.block.id !== null ? [parent.block.id] : [],
    ),
  ),
];

/** Notes what drafts must not make impossible; locks what they would change. The VRFs are locked already. */
export async function checkMany(tx: Tx, drafts: readonly { draft: Draft; p: Prefix; pools: Span[] }[]): Promise<void> {
  for (const group of grouped(drafts, ({ draft, p }) => `${draft.id('vrf')} ${p.family}`).values()) {
    const [lead] = group;
    if (!lead) continue;
    const { family } = lead.p;
    const stretch = hull(group.map(({ p }) => p));
    const before = await standing(tx, lead.draft.id('vrf') ?? 0, family, stretch);
    const coming = group.map(({ draft, p }): Block => ({
      ...p,
      id: null,
      parent: null,
      key: String(draft.after.cidr),
      draft,
    }));
    const nodes = treeOf([...before, ...coming]);
    const parents = aroundNew(nodes, (block) => block.draft !== undefined);
    await lockSpaces(tx, parents);
    const known = await byIds(tx, 'prefix', parents);
    const poolsOf = new Map(group.map(({ draft, pools }) => [draft, pools]));
    for (const { block, parent } of nodes) {
      if (!parent || (block.draft === undefined && parent.block.draft === undefined)) continue;
      const over = parent.block.draft;
      const record = known.get(parent.block.id ?? 0);
      const kept = over ? keptByDraft(over) : record ? keptSpans(record) : [];
      const taken = kept.find(({ span }) => span.first <= lastOf(block) && block.first <= span.last);
      if (!taken) continue;
      const { field, span } = taken;
      if (block.draft)
        block.draft.fault('cidr', 'prefix-on-kept', keptWords(field, span, parent.block.key, family, block.key));
      else over?.fault(field, 'range-on-prefix', { range: spanText(span, family), prefix: block.key });
    }
    for (const { value } of await occupiedIn(tx, 'address', parents, family, stretch)) {
      const block = innermost(nodes, value)?.block;
      if (!block?.draft) continue;
      const usable = usableRange(block);
      const address = ipText(family, value);
      if (value < usable.first || value > usable.last) {
        const what = value === block.first ? 'network' : 'broadcast';
        block.draft.fault('cidr', 'prefix-edge', { address, what, prefix: block.key });
      }
      const range = (poolsOf.get(block.draft) ?? []).find((span) => value >= span.first && value <= span.last);
      if (range) block.draft.fault('pool', 'range-on-address', { range: spanText(range, family), address });
    }
  }
}

/** Gives records that were just inserted their parents, children, addresses and free space. */
export async function placeMany(tx: Tx, records: readonly Stored<'prefix'>[]): Promise<void> {
  const parsed = records.map((record) => ({ record, p: mustParse(parsePrefix(record.cidr)) }));
  for (const group of grouped(parsed, ({ record, p }) => `${record.vrf} ${p.family}`).values()) {
    const [lead] = group;
    if (!lead) continue;
    const { family } = lead.p;
    const stretch = hull(group.map(({ p }) => p));
    const nodes = treeOf(await standing(tx, lead.record.vrf, family, stretch));
    const fresh = new Map(group.map(({ record }) => [record.id, record]));
    const isNew = (block: Block) => fresh.has(block.id ?? 0);
    await moveBelow(tx, nodes, fresh);
    const parents = aroundNew(nodes, isNew);
    const own: Record<'address' | 'resting', Map<number, Span[]>> = { address: new Map(), resting: new Map() };
    for (const table of ['address', 'resting'] as const) {
      const held = await occupiedIn(tx, table, parents, family, stretch);
      const moved = held.flatMap((one) => {
        const to = innermost(nodes, one.value)?.block.id ?? one.prefix;
        return to === one.prefix ? [] : [{ ...one, to }];
      });
      for (const { value, to } of moved)
        own[table].set(to, [...(own[table].get(to) ?? []), { first: value, last: value }]);
      await moveHeld(tx, table, family, moved);
    }
    const spaces = nodes.flatMap(({ block, children }): NewSpace[] => {
      const record = fresh.get(block.id ?? 0);
      if (!record) return [];
      const taken = [...children.map((child) => spanOfBlock(child.block)), ...(own.address.get(record.id) ?? [])];
      const kept = [...withheld(block, record), ...(own.resting.get(record.id) ?? [])];
      const whole = spanOfBlock(block);
      return [
        {
          prefixId: record.id,
          family,
          free: { blocks: freeWithin(whole, taken), fixed: freeWithin(whole, [...taken, ...kept]) },
        },
      ];
    });
    await createFilledSpaces(tx, spaces);
    const freshIn = grouped(
      nodes.filter(({ block }) => isNew(block)),
      ({ parent }) => parent?.block.id,
    );
    for (const parent of parents)
      await occupyMany(
        tx,
        parent,
        family,
        (freshIn.get(parent) ?? []).map(({ block }) => spanOfBlock(block)),
      );
  }
}

/** Writes the parents that are not what they were. */
async function moveBelow(tx: Tx, nodes: readonly Node<Block>[], fresh: Map<number, Stored<'prefix'>>): Promise<void> {
  const changed = nodes.flatMap(({ block, parent }) => {
    const next = parent?.block.id ?? null;
    const record = fresh.get(block.id ?? 0);
    if (record) record.parent = next;
    return block.parent === next || block.id === null ? [] : [{ id: block.id, to: next }];
  });
  for (const [to, some] of grouped(changed, (one) => one.to))
    for (let at = 0; at < some.length; at += SLICE)
      await tx.execute('UPDATE prefix SET parent_id = ? WHERE id IN (?)', [
        to,
        some.slice(at, at + SLICE).map((one) => one.id),
      ]);
}

async function moveHeld(
  tx: Tx,
  table: 'address' | 'resting',
  family: Family,
  moved: readonly (Held & { to: number })[],
): Promise<void> {
  for (const [to, some] of grouped(moved, (one) => one.to))
    for (let at = 0; at < some.length; at += SLICE) {
      const slice = some.slice(at, at + SLICE);
      await (table === 'address'
        ? tx.execute('UPDATE address SET prefix_id = ? WHERE id IN (?)', [to, slice.map((one) => one.id)])
        : tx.execute('UPDATE resting SET prefix_id = ? WHERE prefix_id = ? AND address IN (?)', [
            to,
            slice[0]?.prefix ?? 0,
            slice.map((one) => bytesOf(family, one.value)),
          ]));
    }
}
