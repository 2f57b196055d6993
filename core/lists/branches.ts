/** Lists that people keep as trees: groups in groups, hosts in them, and what holds for either. INI here; YAML comes parsed. */
import { parseIp } from '../addressing/ip.ts';
import { linesOf } from './cells.ts';
import { guessMeaning, type Meaning } from './meanings.ts';

/** What a file of nested names and values holds, whatever its format. */
export type Branch =
  { line: number; map: [string, Branch][] } | { line: number; list: Branch[] } | { line: number; value: Scalar };
type Scalar = string | number | boolean | null;
export type Plain = Scalar | Plain[] | { [key: string]: Plain };

/** One word with what it says; of a value inside of a value both words, with a dot between. */
export interface Entry {
  line: number;
  word: string;
  value: Plain;
}

interface ListGroup {
  name: string;
  line: number;
  /** The groups that it stands in. */
  within: Set<string>;
  entries: Entry[];
}

interface TreeHost {
  name: string;
  line: number;
  groups: Set<string>;
  entries: Entry[];
}

interface TreeFault {
  line: number;
  code: 'list-host' | 'list-deep' | 'list-round';
  value: string;
}

export interface ListTree {
  groups: Map<string, ListGroup>;
  hosts: Map<string, TreeHost>;
  /** What stands in no group: it holds for all hosts. */
  entries: Entry[];
  faults: TreeFault[];
}

/** What a word means that has been said or remembered; undefined leaves it to a guess. */
export type Told = (word: string) => Meaning | undefined;

const MOST_DEEP = 20;
const section = /^\s*\[([^\]]+)\]\s*$/;
const hostShape = /^[a-z0-9](?:[a-z0-9._:-]*[a-z0-9])?$/i;

/** Whether a text is a tree as INI has it: sections in brackets. */
export const isIni = (text: string): boolean => linesOf(text).some((line) => section.test(line.text));

const meaningOf = (told: Told, word: string): Meaning | undefined => told(word) ?? guessMeaning(word);
const structureOf = (told: Told, word: string): 'members' | 'groups' | 'values' | undefined => {
  const is = meaningOf(told, word)?.is;
  return is === 'members' || is === 'groups' || is === 'values' ? is : undefined;
};
const isAddress = (told: Told, word: string): boolean => meaningOf(told, word)?.is === 'address';

class Building {
  readonly tree: ListTree = { groups: new Map(), hosts: new Map(), entries: [], faults: [] };

  group(name: string, line: number, within?: string): string {
    const key = name.trim().toLowerCase();
    const held = this.tree.groups.get(key) ?? { name: key, line, within: new Set<string>(), entries: [] };
    if (within !== undefined && within !== key) held.within.add(within);
    this.tree.groups.set(key, held);
    return key;
  }

  host(typed: string, line: number, group: string | undefined, entries: Entry[]): void {
    const name = typed.trim().toLowerCase();
    if (!hostShape.test(name)) return void this.tree.faults.push({ line, code: 'list-host', value: typed });
    const held = this.tree.hosts.get(name) ?? { name, line, groups: new Set<string>(), entries: [] };
    if (group !== undefined) held.groups.add(group);
    held.entries.push(...entries);
    this.tree.hosts.set(name, held);
  }

  say(group: string | undefined, entries: Entry[]): void {
    const held = group === undefined ? this.tree : this.tree.groups.get(group);
    held?.entries.push(...entries);
  }

  /** Groups that stand in each other in a round would never end. */
  end(): ListTree {
    for (const group of this.tree.groups.values())
      if (outer(this.tree, [...group.within]).has(group.name))
        this.tree.faults.push({ line: group.line, code: 'list-round', value: group.name });
    return this.tree;
  }
}

/** All groups around these, they themselves included, each with how far out it is. */
export function outer({ groups }: Pick<ListTree, 'groups'>, names: readonly string[]): Map<string, number> {
  const found = new Map<string, number>();
  let turn = names;
  for (let out = 0; turn.length > 0; out += 1) {
    const next: string[] = [];
    for (const name of turn) {
      if (found.has(name)) continue;
      found.set(name, out);
      next.push(...(groups.get(name)?.within ?? []));
    }
    turn = next;
  }
  return found;
}

/** `word=value`, the value in quotes where it has blanks. */
const pair = /([^\s=]+)\s*=\s*("(?:[^"\\]|\\.)*"|'[^']*'|[^\s]*)/g;
const unquoted = (text: string): string =>
  /^".*"$/.test(text) ? text.slice(1, -1).replace(/\\(.)/g, '$1') : text.replace(/^'(.*)'$/, '$1');

export function readIni(text: string, told: Told): ListTree {
  const building = new Building();
  const sections = sectionsOf(text);
  for (const { head, line, lines } of sections) {
    const { name, role } = roleOf(head, told);
    if (head === '') {
      for (const one of lines) readLine(building, one, undefined, 'members');
      continue;
    }
    // A section with an address in it is a host, and its lines are what is said of it.
    const entries = lines.map(({ text: held, line: at }) => valueLine(held, at));
    if (role === undefined && entries.some((entry) => entry !== undefined && isAddress(told, entry.word))) {
      building.host(
        name,
        line,
        undefined,
        entries.filter((entry) => entry !== undefined),
      );
      continue;
    }
    const group = building.group(name, line);
    for (const one of lines) readLine(building, one, group, role);
  }
  return building.end();
}

interface Section {
  head: string;
  line: number;
  lines: { line: number; text: string }[];
}

function sectionsOf(text: string): Section[] {
  const out: Section[] = [{ head: '', line: 1, lines: [] }];
  for (const { line, text: held } of linesOf(text.replace(/^\s*;.*$/gm, ''))) {
    const head = section.exec(held)?.[1];
    if (head !== undefined) out.push({ head: head.trim(), line, lines: [] });
    else out.at(-1)?.lines.push({ line, text: held.trim() });
  }
  return out;
}

/** A word behind the name of a section says what stands in it: hosts, groups, or what holds for them. */
function roleOf(head: string, told: Told): { name: string; role: ReturnType<typeof structureOf> } {
  const cut = /^(.+)[:. /]([^:. /]+)$/.exec(head);
  const role = cut ? structureOf(told, cut[2] as string) : undefined;
  return cut && role !== undefined ? { name: cut[1] as string, role } : { name: head, role: undefined };
}

/** `word = value`: not a host, which has its name before the first pair. */
function valueLine(text: string, line: number): Entry | undefined {
  const cut = /^([^\s=][^=]*?)\s*=\s*(.*)$/.exec(text);
  if (!cut || /\s/.test(cut[1] as string)) return undefined;
  return { line, word: (cut[1] as string).toLowerCase(), value: unquoted(cut[2] as string) };
}

function readLine(
  building: Building,
  { line, text }: { line: number; text: string },
  group: string | undefined,
  role: ReturnType<typeof structureOf>,
): void {
  const value = valueLine(text, line);
  if (role === 'groups') return void building.group(text, line, group);
  if (value !== undefined) return building.say(group, [value]);
  const [name = ''] = text.split(/[\s,]+/, 1);
  const entries = [...text.slice(name.length).matchAll(pair)].map(([, word = '', said = '']) => ({
    line,
    word: word.toLowerCase(),
    value: unquoted(said),
  }));
  building.host(name, line, group, entries);
}

/** A tree of names: what is a group, a host or a value is told by words of structure, by addresses, and by the shape. */
export function readBranches(root: Branch, told: Told): ListTree {
  const building = new Building();
  readMap(building, root, undefined, told, 0);
  return building.end();
}

function readMap(building: Building, node: Branch, group: string | undefined, told: Told, deep: number): void {
  if (deep > MOST_DEEP)
    return void building.tree.faults.push({ line: node.line, code: 'list-deep', value: group ?? '' });
  if (!('map' in node)) return readMembers(building, node, group, told);
  for (const [key, below] of node.map) {
    const structure = structureOf(told, key);
    if (structure === 'members') readMembers(building, below, group, told);
    else if (structure === 'values') building.say(group, entriesOf(below));
    else if (structure === 'groups') readGroups(building, below, group, told, deep);
    else readNamed(building, key, below, node.map, group, told, deep);
  }
}

function readGroups(building: Building, node: Branch, group: string | undefined, told: Told, deep: number): void {
  if ('list' in node) for (const item of node.list) building.group(String(plainOf(item)), item.line, group);
  if ('map' in node)
    for (const [name, below] of node.map)
      readMap(building, below, building.group(name, below.line, group), told, deep + 1);
}

function readNamed(
  building: Building,
  key: string,
  below: Branch,
  beside: [string, Branch][],
  group: string | undefined,
  told: Told,
  deep: number,
): void {
  const meant = meaningOf(told, key);
  if ('value' in below) {
    // A name with nothing behind it: a host among hosts; outside of all groups one that is empty.
    const bare = below.value === null && meant === undefined;
    if (bare && (group !== undefined || beside.length > 1)) building.host(key, below.line, group, []);
    else if (bare) building.group(key, below.line, group);
    else building.say(group, [{ line: below.line, word: key.toLowerCase(), value: below.value }]);
  } else if ('list' in below) {
    const names = below.list.every((item) => 'map' in item || ('value' in item && typeof item.value === 'string'));
    // Addresses below a name in a group are what it says, as of its clocks.
    const addresses =
      group !== undefined && below.list.every((item) => 'value' in item && parseIp(String(item.value)).ok);
    if (meant === undefined && names && below.list.length > 0 && !addresses)
      readMembers(building, below, building.group(key, below.line, group), told);
    else building.say(group, [{ line: below.line, word: key.toLowerCase(), value: plainOf(below) }]);
  } else if (isHost(below, group, told)) building.host(key, below.line, group, entriesOf(below));
  else readMap(building, below, building.group(key, below.line, group), told, deep + 1);
}

/** What has an address is a host, and in a group what holds nothing but values. */
function isHost(node: Branch & { map: [string, Branch][] }, group: string | undefined, told: Told): boolean {
  if (node.map.some(([word]) => structureOf(told, word) !== undefined)) return false;
  if (node.map.some(([word, below]) => 'value' in below && isAddress(told, word))) return true;
  const leaf = node.map.every(([, below]) => !('map' in below));
  // A name with nothing behind it is another host.
  const named = node.map.some(([word, below]) => 'value' in below && below.value === null && !meaningOf(told, word));
  return group !== undefined && leaf && !named;
}

/** Hosts: a list of names, a list of what each is, or names with what is said of each. */
function readMembers(building: Building, node: Branch, group: string | undefined, told: Told): void {
  if ('map' in node) for (const [name, below] of node.map) building.host(name, below.line, group, entriesOf(below));
  else if ('list' in node)
    for (const item of node.list) {
      const entries = entriesOf(item);
      const name =
        entries.find(({ word }) => meaningOf(told, word)?.is === 'name') ??
        entries.find(({ word }) => isAddress(told, word));
      const typed = 'value' in item ? item.value : (name?.value ?? '');
      building.host(
        String(typed),
        item.line,
        group,
        entries.filter((entry) => entry !== name || isAddress(told, entry.word)),
      );
    }
  else if (node.value !== null)
    for (const name of String(node.value).split(/[\s,]+/)) building.host(name, node.line, group, []);
}

/** All words below, those inside of others by both. */
function entriesOf(node: Branch, above = ''): Entry[] {
  if (!('map' in node)) return above === '' ? [] : [{ line: node.line, word: above, value: plainOf(node) }];
  return node.map.flatMap(([key, below]) => {
    const word = `${above === '' ? '' : `${above}.`}${key.toLowerCase()}`;
    return 'map' in below && below.map.length > 0
      ? entriesOf(below, word)
      : [{ line: below.line, word, value: plainOf(below) }];
  });
}

function plainOf(node: Branch): Plain {
  if ('value' in node) return node.value;
  if ('list' in node) return node.list.map(plainOf);
  return Object.fromEntries(node.map.map(([key, below]) => [key, plainOf(below)]));
}
