/**
 * The lines of an errand, carried out one after the other on a copy of what runs: what differs then from what runs is what has
 * to be done. So a block can be struck and written anew in one errand, and what is right already stays where it is.
 */
import type { ConfigLine } from '../config/tree.ts';
import { PATH, type Dialect } from '../dialect/dialect.ts';
import { nearest } from '../naming/names.ts';
import { compilePattern } from '../text/pattern.ts';
import { AWAY, type Step } from './errand.ts';

/** What begins a block that shall have these lines and no others. */
const EXACTLY = 'exactly ';
/** Behind the beginning of lines that shall go. */
const ANYTHING = ' ...';
/** Before a pattern that lines fit as a whole which shall go. */
const FITTING = '~ ';

/** A line that shall go, and that nothing fits; with lines that may be meant. */
export interface Missed {
  above: string[];
  line: string;
  near: string[];
}

export interface ErrandLook {
  steps: Step[];
  missed: Missed[];
}

interface Standing {
  text: string;
  below: Standing[];
}

interface Deed {
  above: string[];
  line: string;
  away: boolean;
  instead: string | null;
}

const copyOf = (nodes: readonly ConfigLine[]): Standing[] =>
  nodes.map(({ text, children }) => ({ text, below: copyOf(children) }));

/** `away`: all that the lines say shall go, wherever it stands; blocks go when nothing is left in them. */
export function lookAtErrand(
  dialect: Dialect,
  lines: string,
  running: string,
  { away = false }: { away?: boolean } = {},
): ErrandLook {
  const has = dialect.parse(running);
  const before = copyOf(has);
  const errand = new Errand(dialect, copyOf(has));
  const said = dialect.parse(lines);
  if (away) errand.takeAll(said, [], errand.top);
  else errand.carryOut(said, [], errand.top);
  return { steps: netSteps(errand, before), missed: errand.missed };
}

export const stepsOf = (dialect: Dialect, lines: string, running: string, options: { away?: boolean } = {}): Step[] =>
  lookAtErrand(dialect, lines, running, options).steps;

class Errand {
  readonly top: Standing[];
  readonly deeds: Deed[] = [];
  readonly missed: Missed[] = [];
  private readonly dialect: Dialect;

  constructor(dialect: Dialect, top: Standing[]) {
    this.dialect = dialect;
    this.top = top;
  }

  carryOut(nodes: readonly ConfigLine[], above: string[], level: Standing[]): void {
    for (const node of nodes) {
      if (node.text.startsWith(AWAY)) this.takeAway(node.text.slice(AWAY.length).trim(), above, level);
      else if (node.text.startsWith(EXACTLY)) this.exactly(node, above, level);
      else this.come(node, node.text, above, level);
    }
  }

  /** A block is opened by what is in it; by itself it counts only where nothing is in it. */
  private come(node: ConfigLine, line: string, above: string[], level: Standing[]): void {
    const standing = this.placed(node, line, above, level);
    this.carryOut(node.children, [...above, line], standing.below);
  }

  private placed(node: ConfigLine, line: string, above: string[], level: Standing[]): Standing {
    const isLine = node.children.length === 0;
    const known = level.find((one) => one.text === line);
    const old = known || !isLine ? undefined : this.replaced([...above, line], level);
    if (isLine) this.deeds.push({ above, line, away: false, instead: old?.text ?? null });
    if (known) return known;
    const standing: Standing = { text: line, below: [] };
    if (old) level[level.indexOf(old)] = standing;
    else level.push(standing);
    return standing;
  }

  private replaced(path: readonly string[], level: readonly Standing[]): Standing | undefined {
    const head = this.dialect.singleHead(path);
    if (head === undefined) return undefined;
    const above = path.slice(0, -1);
    return level.find((one) => one.below.length === 0 && this.dialect.singleHead([...above, one.text]) === head);
  }

  private exactly(node: ConfigLine, above: string[], level: Standing[]): void {
    const line = node.text.slice(EXACTLY.length).trim();
    const standing = this.placed(node, line, above, level);
    const wanted = new Set(node.children.map(({ text }) => text));
    // What a new line takes the place of goes by itself.
    const heads = new Set(node.children.flatMap(({ text }) => this.dialect.singleHead([...above, line, text]) ?? []));
    const stays = ({ text, below }: Standing) =>
      wanted.has(text) || (below.length === 0 && heads.has(this.dialect.singleHead([...above, line, text]) ?? ''));
    for (const other of standing.below.filter((one) => !stays(one)))
      this.remove(other, [...above, line], standing.below);
    for (const child of node.children) {
      if (child.children.length === 0) this.come(child, child.text, [...above, line], standing.below);
      else this.exactly({ ...child, text: `${EXACTLY}${child.text}` }, [...above, line], standing.below);
    }
  }

  private takeAway(target: string, above: string[], level: Standing[]): void {
    const fits = fitting(target, level);
    if (fits.length === 0) {
      const near = nearLines(target, level);
      this.deeds.push({ above, line: target, away: true, instead: null });
      this.missed.push({ above, line: target, near });
    }
    for (const one of fits) this.remove(one, above, level);
  }

  private remove(one: Standing, above: string[], level: Standing[]): void {
    level.splice(level.indexOf(one), 1);
    this.deeds.push({ above, line: one.text, away: true, instead: null });
  }

  takeAll(nodes: readonly ConfigLine[], above: string[], level: Standing[]): void {
    for (const node of nodes) {
      const standing = level.find((one) => one.text === node.text);
      if (!standing) {
        if (node.children.length === 0) this.deeds.push({ above, line: node.text, away: true, instead: null });
        else this.takeAll(node.children, [...above, node.text], []);
        continue;
      }
      this.takeAll(node.children, [...above, node.text], standing.below);
      if (node.children.length === 0 || standing.below.length === 0) this.remove(standing, above, level);
    }
  }
}

function fitting(target: string, level: readonly Standing[]): Standing[] {
  const exact = level.find((one) => one.text === target);
  if (exact) return [exact];
  if (target.endsWith(ANYTHING)) {
    const begin = target.slice(0, -ANYTHING.length);
    return level.filter(({ text }) => text === begin || text.startsWith(`${begin} `));
  }
  if (!target.startsWith(FITTING)) return [];
  const pattern = compilePattern(target.slice(FITTING.length));
  return level.filter(({ text }) => pattern.whole(text));
}

const MOST_NEAR = 3;

/** Lines that begin so, or else the one that is spelled most alike. */
function nearLines(target: string, level: readonly Standing[]): string[] {
  if (target.endsWith(ANYTHING) || target.startsWith(FITTING)) return [];
  const begun = level.filter(({ text }) => text.startsWith(`${target} `)).map(({ text }) => text);
  if (begun.length > 0) return begun.slice(0, MOST_NEAR);
  const meant = nearest(
    target,
    level.map(({ text }) => text),
  );
  return meant === undefined ? [] : [meant];
}

function find(nodes: readonly Standing[], path: readonly string[]): Standing | undefined {
  let level = nodes;
  let found: Standing | undefined;
  for (const text of path) {
    found = level.find((one) => one.text === text);
    if (!found) return undefined;
    level = found.below;
  }
  return found;
}

/** What is left to do of each deed, once all of them are done; in their order. */
function netSteps({ deeds, top }: Errand, before: readonly Standing[]): Step[] {
  const out = new Map<string, Step>();
  const add = (step: Step) => {
    const key = JSON.stringify([step.away, ...step.above, step.line]);
    if (!out.has(key)) out.set(key, step);
  };
  for (const { above, line, away, instead } of deeds) {
    const path = [...above, line];
    const [was, is] = [find(before, path), find(top, path)];
    if (!away) {
      if (!is) continue;
      const gone = instead !== null && find(before, [...above, instead]) && !find(top, [...above, instead]);
      add({ above, line, away, instead: gone ? instead : null, right: was !== undefined });
    } else if (is && was) for (const step of leftovers(was, is, path)) add(step);
    else if (!is) add({ above, line, away, instead: null, right: was === undefined });
  }
  return [...out.values()];
}

/** Lines of a block that was struck and written anew, and that are not among the new ones. */
function leftovers(was: Standing, is: Standing, path: string[]): Step[] {
  return was.below.flatMap((one): Step[] => {
    const still = is.below.find(({ text }) => text === one.text);
    return still
      ? leftovers(one, still, [...path, one.text])
      : [{ above: path, line: one.text, away: true, instead: null, right: false }];
  });
}

/** Two lines of an errand of which a block can only have one: the second would undo the first. */
export function contradiction(dialect: Dialect, lines: string): [string, string] | undefined {
  const seen = new Map<string, string>();
  const walk = (nodes: readonly ConfigLine[], above: string[]): [string, string] | undefined => {
    for (const { text, children } of nodes) {
      if (text.startsWith(AWAY)) continue;
      const line = text.startsWith(EXACTLY) ? text.slice(EXACTLY.length).trim() : text;
      const inner = walk(children, [...above, line]);
      if (inner) return inner;
      const head = children.length === 0 ? dialect.singleHead([...above, line]) : undefined;
      if (head === undefined) continue;
      const place = [...above, head].join(PATH);
      const before = seen.get(place);
      if (before !== undefined && before !== line) return [before, line];
      seen.set(place, line);
    }
    return undefined;
  };
  return walk(dialect.parse(lines), []);
}
