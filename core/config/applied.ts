/** What a configuration would be once some steps were done: worked out on its tree, before any device is told. */
import type { ConfigLine } from './tree.ts';

/** One line that comes or goes, with the blocks around it, and the line that it takes the place of. */
export interface Change {
  above: readonly string[];
  line: string;
  away: boolean;
  instead: string | null;
}

/**
 * The tree with the changes made, one after the other; the given one stays as it is. A block that comes to be is put in; a
 * line that goes takes with it what stands below it, and a block that is left empty goes, too.
 */
export function applied(tree: readonly ConfigLine[], changes: readonly Change[]): ConfigLine[] {
  let out = [...tree];
  for (const change of changes) out = at(out, change.above, change);
  return out;
}

function at(level: ConfigLine[], above: readonly string[], change: Change): ConfigLine[] {
  const [block, ...deeper] = above;
  if (block !== undefined) {
    const standing = level.find((one) => one.text === block);
    if (!standing && change.away) return level;
    const node = standing ?? { text: block, line: 0, children: [] };
    const children = at(node.children, deeper, change);
    const emptied = node.children.length > 0 && children.length === 0;
    const next = { ...node, children };
    if (emptied) return level.filter((one) => one !== standing);
    return standing ? level.map((one) => (one === standing ? next : one)) : [...level, next];
  }
  const { line, away, instead } = change;
  if (away) return level.filter((one) => one.text !== line);
  if (level.some((one) => one.text === line)) return level;
  const node = { text: line, line: 0, children: [] };
  return instead !== null && level.some((one) => one.text === instead)
    ? level.map((one) => (one.text === instead ? node : one))
    : [...level, node];
}
