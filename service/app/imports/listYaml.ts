/** Trees of groups in YAML, each name and value with the line that it stands in. */
import { isMap, isPair, isScalar, isSeq, type LineCounter, type Node } from 'yaml';
import { readBranches, type Branch, type ListTree } from '@zpine/core/lists/branches';
import type { Meaning } from '@zpine/core/lists/meanings';
import { readYaml } from '../../store/yaml.ts';
import { deviceFault, type RowFault } from './rows.ts';

/** A text that is a tree in YAML: a map at its root, with something below. Of other texts nothing is given. */
export function yamlTree(
  text: string,
  told: (word: string) => Meaning | undefined,
): { form: 'yaml'; tree: ListTree } | { faults: RowFault[] } | undefined {
  // A key with nothing but blanks behind its colon, or a dash in front of one: a list of names and addresses has neither.
  if (!/^\s*\{/.test(text) && !/^\s*(- )?[^\s#:][^:]*:\s*(#.*)?$/m.test(text) && !/^\s*-\s+\S+:\s/m.test(text))
    return undefined;
  const { documents, faults, lines } = readYaml(text, { aliases: 0 });
  if (faults.length > 0)
    return {
      faults: faults.map(({ offset, message }) =>
        deviceFault(lines.linePos(offset).line, null, null, 'import-format', { format: 'YAML', why: message }),
      ),
    };
  const [document] = documents;
  const root = document?.contents;
  if (!root || (!isMap(root) && !isSeq(root))) return undefined;
  return { form: 'yaml', tree: readBranches(branchOf(root, lines, 1), told) };
}

function branchOf(node: Node | null, lines: LineCounter, line: number): Branch {
  const lineOf = (one: Node, or: number): number => (one.range ? lines.linePos(one.range[0]).line : or);
  if (isMap(node))
    return {
      line,
      map: node.items.flatMap((item): [string, Branch][] => {
        if (!isPair(item) || !isScalar(item.key)) return [];
        return [[String(item.key.value), branchOf(item.value as Node | null, lines, lineOf(item.key, line))]];
      }),
    };
  if (isSeq(node))
    return { line, list: node.items.map((item) => branchOf(item as Node, lines, lineOf(item as Node, line))) };
  if (!isScalar(node)) return { line, value: null };
  const { value, source } = node;
  // A number that is written otherwise than it is counted was meant as a text: a password, a serial.
  if (typeof value === 'number')
    return { line, value: source === undefined || String(value) === source ? value : source };
  return { line, value: value === null || typeof value === 'boolean' ? value : String(value) };
}
