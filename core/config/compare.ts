/**
 * What a device should run against what it runs: owned parts only; the rest is counted, shown and left alone. Lines are
 * matched as they are meant by the dialect, in any order where none counts, and secrets by what the device shows of them.
 */
import type { LineSecret } from '../dialect/sameness.ts';
import type { Intended, Reader } from './intended.ts';
import { pathText } from '../dialect/path.ts';
import { ownersOf, type Owners } from './owned.ts';
import type { ConfigLine } from './tree.ts';

type DifferenceKind = 'missing' | 'extra' | 'changed' | 'order';

export interface Difference {
  part: string;
  kind: DifferenceKind;
  /** The blocks that the line stands in, outermost first, as the device has them. */
  above: string[];
  /** As it should be; of an extra one, as the device has it. */
  line: string;
  /** What the device has in its place; null where it has nothing. */
  instead: string | null;
  /** How many lines stand below it: told after it where they are missing, and gone with it where it is extra. */
  below: number;
  /** Of an extra block, the lines that go with it, with the blocks between. */
  inside: string[];
}

interface PartCompared {
  name: string;
  right: number;
  /** Lines, those below extra blocks as well. */
  differs: number;
  notComparable: number;
}

export interface Comparison {
  matches: boolean;
  differences: Difference[];
  /** Lines with a secret of which the device does not show enough to say whether it is the right one. */
  notComparable: Difference[];
  /** Lines of the device that belong to no part of ours. */
  elsewhere: string[];
  /** How many owned lines are right already. */
  right: number;
  parts: PartCompared[];
}

type SecretVerdict = 'same' | 'differs' | 'unknown';
/** Whether a secret as it should be and as a device shows it are one; both may be digests. */
export type SecretsAgree = (wanted: LineSecret, shown: LineSecret) => SecretVerdict;

/** A digest by `crypt(3)`, whatever its method: `$6$salt$...`. */
const DIGEST = /^\$[0-9a-z]+\$/;

/** Where no digest can be worked out: only equal texts are surely the same. */
const agreeByText: SecretsAgree = (wanted, shown) =>
  wanted.secret === shown.secret
    ? 'same'
    : wanted.form !== shown.form || DIGEST.test(shown.secret) || DIGEST.test(wanted.secret)
      ? 'unknown'
      : 'differs';

/**
 * Digests are verified with the salt that the device shows.
 *
 * @param opens whether a password is the one behind a digest; undefined where its method is not known
 * @param passwords those that may be behind a digest of the intended text
 */
export function agreeByDigest(
  opens: (password: string, digest: string) => boolean | undefined,
  passwords: readonly string[],
): SecretsAgree {
  return (wanted, shown) => {
    if (wanted.secret === shown.secret) return 'same';
    if (!DIGEST.test(shown.secret))
      return DIGEST.test(wanted.secret) ? said(opens(shown.secret, wanted.secret)) : agreeByText(wanted, shown);
    const behind = DIGEST.test(wanted.secret)
      ? passwords.find((password) => opens(password, wanted.secret))
      : wanted.secret;
    return behind === undefined ? 'unknown' : said(opens(behind, shown.secret));
  };
}

const said = (fits: boolean | undefined): SecretVerdict => (fits === undefined ? 'unknown' : fits ? 'same' : 'differs');

/** A line as it should be, with the part that it comes from. */
interface Wanted {
  text: string;
  part: string;
  children: Wanted[];
}

export function compareConfig(
  intended: Intended,
  actual: string,
  reader: Reader,
  agree: SecretsAgree = agreeByText,
): Comparison {
  return new Comparing(intended, reader, agree).against(reader.parse(actual));
}

class Comparing {
  private readonly reader: Reader;
  private readonly agree: SecretsAgree;
  private readonly owners: Owners;
  private readonly wanted: Wanted[];
  private readonly out: Comparison = {
    matches: false,
    differences: [],
    notComparable: [],
    elsewhere: [],
    right: 0,
    parts: [],
  };
  private readonly parts = new Map<string, PartCompared>();

  constructor(intended: Intended, reader: Reader, agree: SecretsAgree) {
    this.reader = reader;
    this.agree = agree;
    this.owners = ownersOf(intended, reader);
    const wanted: Wanted[] = [];
    for (const { part, nodes } of this.owners.rendered) {
      this.parts.set(part, { name: part, right: 0, differs: 0, notComparable: 0 });
      wanted.push(...nodes.map((node) => wantedOf(node, part)));
    }
    this.wanted = merged(wanted);
  }

  against(running: readonly ConfigLine[]): Comparison {
    this.level([], this.wanted, merged(running), undefined);
    const { out } = this;
    out.parts = [...this.parts.values()];
    out.matches = out.differences.length === 0;
    return out;
  }

  /** `owner`: the part whose block this is; undefined at the top. */
  private level(above: string[], wanted: readonly Wanted[], actual: readonly ConfigLine[], owner: string | undefined) {
    const pairs = this.pairsOf(above, wanted, actual);
    const { misplaced, surplus } = this.order(above, wanted, actual, pairs);
    for (const [i, want] of wanted.entries()) {
      const pair = pairs.of[i];
      if (pair === undefined) this.missing(above, want);
      else this.paired(above, want, pair, misplaced.has(i));
    }
    for (const node of surplus) this.extra(above, node, owner);
  }

  /** Which line of the device stands for which wanted one. */
  private pairsOf(above: readonly string[], wanted: readonly Wanted[], actual: readonly ConfigLine[]): Pairs {
    const pairs = new Pairs(wanted, actual);
    pairs.match((line) => line.text);
    if (pairs.isWhole) return pairs;
    const { reader } = this;
    pairs.match((line) => reader.meant(above, line.text));
    pairs.match(({ text }) => reader.secretOf(above, text)?.key);
    pairs.match((line) => (line.children.length > 0 ? undefined : reader.singleHead([...above, line.text])));
    return pairs;
  }

  private paired(above: string[], want: Wanted, node: ConfigLine, misplaced: boolean): void {
    const part = this.part(want.part);
    const below = linesBelow(want);
    if (misplaced) {
      this.rewritten(
        part,
        { part: want.part, kind: 'order', above, line: want.text, instead: node.text, below, inside: [] },
        want,
      );
      return;
    }
    const verdict = want.text === node.text ? 'same' : this.verdict(above, want, node);
    const line = { part: want.part, above, line: want.text, instead: node.text, below, inside: [] };
    if (verdict === 'differs') {
      this.rewritten(part, { ...line, kind: 'changed' }, want);
      return;
    }
    if (verdict === 'unknown') {
      part.notComparable += 1;
      this.out.notComparable.push({ ...line, kind: 'changed' });
    } else {
      part.right += 1;
      this.out.right += 1;
    }
    this.level([...above, node.text], want.children, merged(node.children), want.part);
  }

  /** It comes again, with all that stands in it. */
  private rewritten(part: PartCompared, difference: Difference, want: Wanted): void {
    this.differs(part, difference, 1);
    for (const child of want.children) this.missing([...difference.above, want.text], child, true);
  }

  private verdict(above: readonly string[], want: Wanted, node: ConfigLine): SecretVerdict {
    const { reader } = this;
    const [wanted, shown] = [reader.secretOf(above, want.text), reader.secretOf(above, node.text)];
    if (wanted && shown?.key === wanted.key) {
      if (wanted.secret === shown.secret && wanted.form === shown.form) return 'same';
      return reader.hides(shown.secret) ? 'unknown' : this.agree(wanted, shown);
    }
    return reader.meant(above, want.text) === reader.meant(above, node.text) ? 'same' : 'differs';
  }

  /** `isNew`: the block that it stands in is missing, too: what is usual in one that is there is not in one that is not. */
  private missing(above: string[], want: Wanted, isNew = false): void {
    const part = this.part(want.part);
    if (!isNew && this.isUsual(above, want)) {
      // The device does not say what is so anyway.
      part.right += 1 + linesBelow(want);
      this.out.right += 1 + linesBelow(want);
      return;
    }
    this.differs(
      part,
      { part: want.part, kind: 'missing', above, line: want.text, instead: null, below: linesBelow(want), inside: [] },
      1,
    );
    for (const child of want.children) this.missing([...above, want.text], child, true);
  }

  /** With all that stands below it. */
  private isUsual(above: readonly string[], { text, children }: ConfigLine | Wanted): boolean {
    return (
      this.reader.isUsual(above, text) &&
      (children as ConfigLine[]).every((child) => this.isUsual([...above, text], child))
    );
  }

  private extra(above: string[], node: ConfigLine, owner: string | undefined): void {
    const part = this.owners.ownerOf(above, node.text, owner);
    if (part !== undefined) {
      if (this.isUsual(above, node)) return;
      const inside = pathsBelow(node);
      this.differs(this.part(part), {
        part,
        kind: 'extra',
        above,
        line: node.text,
        instead: null,
        below: inside.length,
        inside,
      });
    } else if (this.owners.ownsBelow(above, node.text)) {
      this.out.elsewhere.push(node.text);
      for (const child of node.children) this.extra([...above, node.text], child, undefined);
    } else this.out.elsewhere.push(...flat(node));
  }

  /** Lines out of their place among those whose order counts, and lines of the device that nothing stands for. */
  private order(above: readonly string[], wanted: readonly Wanted[], actual: readonly ConfigLine[], pairs: Pairs) {
    const misplaced = new Set<number>();
    const surplus = actual.filter((node) => !pairs.byActual.has(node));
    const head = ({ text }: { text: string }) => this.reader.orderHead(above, text);
    if (pairs.isInOrder && surplus.length === 0) return { misplaced, surplus };
    // New lines come to the end: what may stay is the longest beginning that stands there in this order already.
    const queues = new Map<string, number[]>();
    for (const [i, want] of wanted.entries()) {
      const group = head(want);
      if (group !== undefined) queues.set(group, [...(queues.get(group) ?? []), i]);
    }
    if (queues.size === 0) return { misplaced, surplus };
    this.clearRepeated(actual, head, queues);
    for (const node of actual) {
      const i = pairs.byActual.get(node);
      if (i === undefined) continue;
      const queue = queues.get(head(node) ?? '');
      if (!queue) continue;
      if (queue[0] === i) queue.shift();
      else misplaced.add(i);
    }
    return { misplaced, surplus };
  }

  /** Of two lines that are written alike a device takes away the one that it likes: all of such an order come again. */
  private clearRepeated(
    actual: readonly ConfigLine[],
    head: (line: ConfigLine) => string | undefined,
    queues: Map<string, number[]>,
  ): void {
    const seen = new Set<string>();
    for (const node of actual) {
      const group = head(node);
      if (group === undefined) continue;
      if (seen.has(`${group}\n${node.text}`)) queues.set(group, []);
      seen.add(`${group}\n${node.text}`);
    }
  }

  private part(name: string): PartCompared {
    let part = this.parts.get(name);
    if (!part) this.parts.set(name, (part = { name, right: 0, differs: 0, notComparable: 0 }));
    return part;
  }

  private differs(part: PartCompared, difference: Difference, lines = 1 + difference.below): void {
    part.differs += lines;
    this.out.differences.push(difference);
  }
}

/** Wanted lines and lines of a device, paired one by one. */
class Pairs {
  readonly of: (ConfigLine | undefined)[];
  readonly byActual = new Map<ConfigLine, number>();
  private readonly wanted: readonly Wanted[];
  private readonly actual: readonly ConfigLine[];

  constructor(wanted: readonly Wanted[], actual: readonly ConfigLine[]) {
    this.wanted = wanted;
    this.actual = actual;
    this.of = wanted.map(() => undefined);
  }

  /** Pairs what has the same key and no partner yet, in the order in which it stands. */
  match(keyOf: (line: Wanted | ConfigLine) => string | undefined): void {
    if (this.byActual.size === this.actual.length || this.byActual.size === this.wanted.length) return;
    const waiting = new Map<string, ConfigLine[]>();
    for (const node of this.actual) {
      const key = this.byActual.has(node) ? undefined : keyOf(node);
      if (key === undefined) continue;
      const same = waiting.get(key);
      if (same) same.push(node);
      else waiting.set(key, [node]);
    }
    if (waiting.size === 0) return;
    for (const [i, want] of this.wanted.entries()) {
      if (this.of[i]) continue;
      const key = keyOf(want);
      const node = key === undefined ? undefined : waiting.get(key)?.shift();
      if (!node) continue;
      this.of[i] = node;
      this.byActual.set(node, i);
    }
  }

  get isWhole(): boolean {
    return this.byActual.size === this.wanted.length && this.wanted.length === this.actual.length;
  }

  get isInOrder(): boolean {
    if (this.byActual.size < this.wanted.length) return false;
    let last = -1;
    for (const node of this.actual) {
      const i = this.byActual.get(node);
      if (i === undefined) continue;
      if (i < last) return false;
      last = i;
    }
    return true;
  }
}

const wantedOf = ({ text, children }: ConfigLine, part: string): Wanted => ({
  text,
  part,
  children: children.map((child) => wantedOf(child, part)),
});

/** Blocks of one name beside each other are one block, as devices take them. */
function merged<T extends { text: string; children: T[] }>(level: readonly T[]): T[] {
  const blocks = new Map<string, T>();
  const out: T[] = [];
  for (const node of level) {
    const before = node.children.length > 0 ? blocks.get(node.text) : undefined;
    if (before) {
      before.children = [...before.children, ...node.children];
      continue;
    }
    const own = node.children.length > 0 ? { ...node } : node;
    if (node.children.length > 0) blocks.set(node.text, own);
    out.push(own);
  }
  return out;
}

const linesBelow = ({ children }: { children: { children: unknown[] }[] }): number =>
  (children as ConfigLine[]).reduce((sum, child) => sum + 1 + linesBelow(child), 0);

const pathsBelow = ({ children }: ConfigLine): string[] =>
  children.flatMap((child) => [child.text, ...pathsBelow(child).map((path) => pathText([child.text], path))]);

const flat = (node: ConfigLine): string[] => [node.text, ...node.children.flatMap(flat)];

/** A difference in words, for lists. */
export function differenceText(difference: Difference): string {
  const { kind, instead, below } = difference;
  const path = [...difference.above, difference.line].join(' > ');
  const more = below > 0 && kind === 'extra' ? ` and ${below} below it` : '';
  const words = { missing: 'missing', extra: 'not wanted', changed: 'other', order: 'out of order' }[kind];
  return `${words}: ${path}${more}${kind === 'changed' ? ` (it has ${instead ?? ''})` : ''}`;
}

/** A difference with the blocks that it stands in, as one text. */
export const differencePath = ({ above, line }: Pick<Difference, 'above' | 'line'>): string => pathText(above, line);
