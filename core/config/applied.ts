/** What a configuration would be once some steps were done: worked out on its tree, before any device is told. */
import type { ConfigLine } from './tree.ts';

/** One line that comes or goes, with the blocks around it, and the line that it takes the place of. */
export interface Change {
  above: readonly string[];
  line: string;
  away: boolean;
  instead: string | null;
}

/** A line of a tree that is being changed; the lines below it by their texts, in their order. */
interface Standing {
  text: string;
  /** What is said twice stands twice. */
  times: number;
  below: Map<string, Standing>;
}

/**
 * The tree with the changes made, one after the other; the given one stays as it is. A block that comes to be is put in; a
 * line that goes takes with it what stands below it, and a block that is left empty goes, too. New lines come to the end.
 */
export function applied(tree: readonly ConfigLine[], changes: readonly Change[]): ConfigLine[] {
  const top = standing(tree);
  for (const change of changes) apply(top, change.above, change);
  return linesOf(top);
}

function standing(nodes: readonly ConfigLine[], into = new Map<string, Standing>()): Map<string, Standing> {
  for (const { text, children } of nodes) {
    const before = into.get(text);
    if (before && children.length === 0) before.times += 1;
    else if (before) standing(children, before.below);
    else into.set(text, { text, times: 1, below: standing(children) });
  }
  return into;
}

function apply(level: Map<string, Standing>, [block, ...deeper]: readonly string[], change: Change): void {
  const { line, away, instead } = change;
  if (block !== undefined) {
    let node = level.get(block);
    if (!node && away) return;
    if (!node) level.set(block, (node = { text: block, times: 1, below: new Map() }));
    const before = node.below.size;
    apply(node.below, deeper, change);
    if (before > 0 && node.below.size === 0) level.delete(block);
    return;
  }
  if (away) level.delete(line);
  else if (!level.has(line)) {
    if (instead !== null) level.delete(instead);
    level.set(line, { text: line, times: 1, below: new Map() });
  }
}

const linesOf = (level: ReadonlyMap<string, Standing>): ConfigLine[] =>
  [...level.values()].flatMap(({ text, times, below }) =>
    Array.from({ length: times }, () => ({ text, line: 0, children: linesOf(below) })),
  );
