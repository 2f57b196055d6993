/** What ports and slots a model brings, said by patterns: `1/{1..24} 1000base-t; 1/{25..28} 10gbase-r; con console`. */
import { fail, ok, type Parsed } from '../fault.ts';
import { nearest, parsePortName } from '../naming/names.ts';
import { expandSeries } from '../naming/series.ts';
import { isPortKind, portKindNames, portKinds, type PortKindName } from './ports.ts';

export type PortGroup = {
  /** `{slot}` stands for the way to the card: `3`, or `3/1` for the first card in a card. */
  names: string;
  kind: PortKindName;
};

export type SlotGroup = {
  names: string;
  /** The form of cards that go in. */
  takes: string;
};

export interface Socket {
  name: string;
  kind: PortKindName;
  /** The socket at the other side of a panel. */
  through: string | null;
}

const MOST_PORTS = 1000;
const MOST_SLOTS = 100;

/** Behind a panel's port. */
const REAR = '-rear';

const slotSign = '{slot}';

export type GroupFault =
  | 'series-syntax'
  | 'series-many'
  | 'groups-syntax'
  | 'port-kind-unknown'
  | 'ports-many'
  | 'port-twice'
  | 'port-name-syntax'
  | 'name-empty'
  | 'slot-sign'
  | 'slot-name'
  | 'slots-many'
  | 'slot-twice'
  | 'name-syntax';

/** The sockets of a model; `slot` is where the card sits, null for what is no card. */
export function expandPorts(groups: readonly PortGroup[], slot: string | null): Parsed<Socket[], GroupFault> {
  const out: Socket[] = [];
  const seen = new Set<string>();
  for (const { names, kind } of groups) {
    if (slot === null && names.includes(slotSign)) return fail('slot-sign', { value: names });
    const read = expandSeries(names.replaceAll(slotSign, slot ?? ''));
    if (!read.ok) return read;
    for (const text of read.value) {
      const name = parsePortName(text);
      if (!name.ok) return name;
      const rear = `${name.value}${REAR}`;
      const panel = portKinds[kind].panel === true;
      out.push({ name: name.value, kind, through: panel ? rear : null });
      if (panel) out.push({ name: rear, kind, through: name.value });
      if (out.length > MOST_PORTS) return fail('ports-many', { value: names, max: MOST_PORTS });
    }
  }
  for (const { name } of out) {
    // Names are compared as keys are: whatever their case.
    const key = name.toLowerCase();
    if (seen.has(key)) return fail('port-twice', { name });
    seen.add(key);
  }
  return ok(out);
}

export interface Slot {
  name: string;
  takes: string;
}

export function expandSlots(groups: readonly SlotGroup[]): Parsed<Slot[], GroupFault> {
  const out: Slot[] = [];
  for (const { names, takes } of groups) {
    const read = expandSeries(names);
    if (!read.ok) return read;
    for (const name of read.value) {
      if (!/^[A-Za-z0-9][A-Za-z0-9._-]*$/.test(name)) return fail('slot-name', { value: name });
      if (out.some((slot) => slot.name.toLowerCase() === name.toLowerCase())) return fail('slot-twice', { name });
      out.push({ name, takes });
      if (out.length > MOST_SLOTS) return fail('slots-many', { value: names, max: MOST_SLOTS });
    }
  }
  return ok(out);
}

const clean = (text: string): string => text.trim().replace(/\s+/g, ' ');

/** The halves of each group of a text: names, and a word behind them. */
function halves(text: string): Parsed<[string, string][], 'groups-syntax'> {
  const out: [string, string][] = [];
  for (const part of text.split(/[;\n]/).map(clean).filter(Boolean)) {
    const cut = part.lastIndexOf(' ');
    if (cut < 0) return fail('groups-syntax', { value: part });
    out.push([part.slice(0, cut).replace(/\s*,\s*/g, ','), part.slice(cut + 1).toLowerCase()]);
  }
  return ok(out);
}

type Given = string | readonly { names: string; [word: string]: string }[];

const pairsOf = (given: Given, word: string): Parsed<[string, string][], 'groups-syntax'> =>
  typeof given === 'string'
    ? halves(given)
    : ok(
        given.map((group): [string, string] => [
          clean(group.names).replace(/\s*,\s*/g, ','),
          clean(group[word] ?? '').toLowerCase(),
        ]),
      );

/** Ports as somebody gave them, checked as far as they can be without a slot. */
export function parsePorts(given: Given): Parsed<PortGroup[], GroupFault> {
  const read = pairsOf(given, 'kind');
  if (!read.ok) return read;
  const groups: PortGroup[] = [];
  for (const [names, kind] of read.value) {
    if (!isPortKind(kind)) {
      const meant = nearest(kind, portKindNames);
      return fail('port-kind-unknown', { value: kind, known: portKindNames.join(', '), ...(meant ? { meant } : {}) });
    }
    groups.push({ names, kind });
  }
  const tried = expandPorts(groups, groups.some(({ names }) => names.includes(slotSign)) ? 'S' : null);
  return tried.ok ? ok(groups) : tried;
}

export function parseSlots(given: Given): Parsed<SlotGroup[], GroupFault> {
  const read = pairsOf(given, 'takes');
  if (!read.ok) return read;
  const groups = read.value.map(([names, takes]) => ({ names, takes }));
  const odd = groups.find(({ takes }) => !/^[a-z0-9._-]+$/.test(takes));
  if (odd) return fail('name-syntax', { value: odd.takes });
  const tried = expandSlots(groups);
  return tried.ok ? ok(groups) : tried;
}

export const portsText = (groups: readonly PortGroup[]): string =>
  groups.map(({ names, kind }) => `${names} ${kind}`).join('; ');
export const slotsText = (groups: readonly SlotGroup[]): string =>
  groups.map(({ names, takes }) => `${names} ${takes}`).join('; ');

/** Whether a model's ports are named by the slot that it sits in. */
export const namesSlot = (groups: readonly PortGroup[]): boolean =>
  groups.some(({ names }) => names.includes(slotSign));

/** `3/1` sits in the card of slot `3`; what sits in the device itself has no card around it. */
export const slotAround = (slot: string): string | null =>
  slot.includes('/') ? slot.slice(0, slot.lastIndexOf('/')) : null;
export const slotItself = (slot: string): string => slot.slice(slot.lastIndexOf('/') + 1);
