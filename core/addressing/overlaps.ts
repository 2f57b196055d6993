/** Where the space of one VRF is that of another, too. */
import { covers, lastOf, type Prefix } from './prefix.ts';

export interface Placed extends Prefix {
  vrf: number;
}

/**
 * Pairs from different VRFs that overlap. Within a VRF those that are given must not: the innermost ones of a tree, say.
 * Blocks nest or are apart, so of a pair one covers the other.
 */
export function overlapping<T extends Placed>(blocks: readonly T[]): [T, T][] {
  const sorted = [...blocks].sort((a, b) =>
    a.family !== b.family ? a.family - b.family : a.first < b.first ? -1 : a.first > b.first ? 1 : a.length - b.length,
  );
  const out: [T, T][] = [];
  let open: T[] = [];
  for (const block of sorted) {
    open = open.filter((one) => one.family === block.family && lastOf(one) >= block.first);
    for (const one of open) if (one.vrf !== block.vrf && covers(one, block)) out.push([one, block]);
    open.push(block);
  }
  return out;
}
