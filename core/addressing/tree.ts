/** Blocks in the tree that they make: each inside the smallest that covers it. */
import { covers, lastOf, type Prefix } from './prefix.ts';

/** Lower ones first, and of those that begin alike the larger: a block stands behind everything that covers it. */
const inTreeOrder = (a: Prefix, b: Prefix): number =>
  a.family !== b.family ? a.family - b.family : a.first < b.first ? -1 : a.first > b.first ? 1 : a.length - b.length;

export interface Node<T extends Prefix> {
  block: T;
  parent: Node<T> | null;
  children: Node<T>[];
}

/** The nodes in tree order; one pass over the sorted blocks. Of equal ones the second is a child of the first. */
export function treeOf<T extends Prefix>(blocks: readonly T[]): Node<T>[] {
  const out: Node<T>[] = [];
  const around: Node<T>[] = [];
  for (const block of [...blocks].sort(inTreeOrder)) {
    while (around.length > 0 && !covers((around.at(-1) as Node<T>).block, block)) around.pop();
    const parent = around.at(-1) ?? null;
    const node: Node<T> = { block, parent, children: [] };
    parent?.children.push(node);
    around.push(node);
    out.push(node);
  }
  return out;
}

/** The innermost block that holds an address of the same family; `nodes` in tree order. */
export function innermost<T extends Prefix>(nodes: readonly Node<T>[], value: bigint): Node<T> | undefined {
  let low = 0;
  let high = nodes.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((nodes[middle]?.block.first ?? 0n) <= value) low = middle + 1;
    else high = middle;
  }
  // What begins last before it may end before it: then it is one of those around that.
  let node: Node<T> | null = nodes[low - 1] ?? null;
  while (node && lastOf(node.block) < value) node = node.parent;
  return node ?? undefined;
}
