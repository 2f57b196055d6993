/**
 * Which part of an edition a line belongs to. A part owns whole the blocks that it opens, and the family of its lines by the
 * heads of the sheet; one that names beginnings (`owns`) owns those instead of families. Lines that the edition renders
 * outside of owned parts are nobody's.
 */
import { pathText } from '../dialect/path.ts';
import type { Intended, Reader } from './intended.ts';
import type { ConfigLine } from './tree.ts';

export interface Owners {
  /** The owned parts with the lines that they render. */
  rendered: { part: string; nodes: ConfigLine[] }[];
  /** Of a line that is not in the edition; `block`: the part that opened the block that it stands in. */
  ownerOf: (above: readonly string[], line: string, block: string | undefined) => string | undefined;
  /** Whether something below such a line is owned although the line itself is not. */
  ownsBelow: (above: readonly string[], line: string) => boolean;
}

/** A line that two parts would answer for. */
export interface OwnedTwice {
  line: string;
  first: string;
  second: string;
}

type OwningReader = Pick<Reader, 'parse' | 'sheet' | 'meant'>;

interface Beginning {
  text: string;
  part: string;
}

export function ownersOf(intended: Intended, reader: OwningReader): Owners {
  const headOf = headFinder(reader.sheet.heads);
  const beginnings: Beginning[] = [];
  const families = new Map<string, string>();
  const rendered: Owners['rendered'] = [];
  const nobodys = new Set<string>();
  let behind = 0;
  const leave = (text: string) => {
    for (const node of reader.parse(text)) nobodys.add(reader.meant([], node.text));
  };
  for (const { name, owned, owns = [], from, to } of intended.parts) {
    leave(intended.text.slice(behind, from));
    behind = to;
    const text = intended.text.slice(from, to);
    if (!owned) {
      leave(text);
      continue;
    }
    const nodes = reader.parse(text);
    rendered.push({ part: name, nodes });
    for (const beginning of owns) beginnings.push({ text: beginning, part: name });
    if (owns.length === 0)
      for (const node of nodes) {
        const head = headOf(node.text);
        if (!families.has(head)) families.set(head, name);
      }
  }
  leave(intended.text.slice(behind));
  /** The longest beginning that a path has: the most particular one. */
  const byBeginning = (path: string): string | undefined => {
    let found: Beginning | undefined;
    for (const one of beginnings)
      if (begins(path, one.text) && one.text.length > (found?.text.length ?? -1)) found = one;
    return found?.part;
  };
  /** A part that names lines in a block owns these of it, and not the whole. */
  const isShared = (above: readonly string[], part: string): boolean => {
    const inside = `${pathText(above.slice(0, -1), above.at(-1) ?? '')} / `;
    return beginnings.some((one) => one.part === part && one.text.startsWith(inside));
  };
  return {
    rendered,
    ownerOf: (above, line, block) => {
      const named = byBeginning(pathText(above, line));
      if (named !== undefined) return named;
      if (block !== undefined) return isShared(above, block) ? undefined : block;
      if (above.length > 0 || nobodys.has(reader.meant([], line))) return undefined;
      return families.get(headOf(line));
    },
    ownsBelow: (above, line) => {
      const inside = `${pathText(above, line)} / `;
      return beginnings.some((one) => one.text.startsWith(inside));
    },
  };
}

/** Lines that two owned parts answer for: each would take away what the other wants. */
export function ownedTwice(intended: Intended, reader: OwningReader): OwnedTwice[] {
  const headOf = headFinder(reader.sheet.heads);
  const { rendered } = ownersOf(intended, reader);
  const owns = new Map(intended.parts.map((part) => [part.name, part.owned ? (part.owns ?? []) : []]));
  const out: OwnedTwice[] = [];
  const seen = new Map<string, string>();
  const told = new Set<string>();
  const add = (line: string, first: string, second: string) => {
    if (told.has(`${first}\n${second}`)) return;
    told.add(`${first}\n${second}`);
    out.push({ line, first, second });
  };
  for (const { part, nodes } of rendered) {
    for (const node of nodes) {
      const claims = [
        reader.meant([], node.text),
        ...(owns.get(part)?.length === 0 ? [`\u0000${headOf(node.text)}`] : []),
      ];
      for (const claim of claims) {
        const first = seen.get(claim);
        if (first !== undefined && first !== part && !sharesIn(node, owns.get(first) ?? [], owns.get(part) ?? []))
          add(node.text, first, part);
        else seen.set(claim, part);
      }
      for (const [other, beginnings] of owns)
        if (other !== part && beginnings.some((one) => begins(node.text, one))) add(node.text, other, part);
    }
  }
  return out;
}

/** A beginning that ends in a blank ends a word: `socket 1/2 ` is that socket with all in it, and not `socket 1/23`. */
const begins = (path: string, beginning: string): boolean => path.startsWith(beginning) || path === beginning.trimEnd();

/** Both open the block, and at least one says which lines in it are its own. */
const sharesIn = (node: ConfigLine, ...sides: (readonly string[])[]): boolean =>
  node.children.length > 0 && sides.some((owns) => owns.some((one) => one.startsWith(`${node.text} / `)));

/** The longest of a dialect's heads that a line begins with: lines with one head are one family. */
function headFinder(heads: readonly string[]): (line: string) => string {
  const known = new Set(heads);
  const longest = Math.max(0, ...heads.map((head) => head.split(' ').length));
  return (line) => {
    const words = line.split(' ', longest);
    for (let n = words.length; n > 0; n -= 1) {
      const head = words.slice(0, n).join(' ');
      if (known.has(head)) return head;
    }
    return line;
  };
}
