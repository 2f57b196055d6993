/**
 * Whether a change has the effect that its lines promise: a port that is live in the lines is live on the device, an address
 * is on its interface, and neighbours that were heard are heard still. Worked out from what the device answers before and after.
 */
import type { Dialect } from '../dialect/dialect.ts';
import { pathText } from '../dialect/path.ts';
import type { Step } from './errand.ts';

/** Rows of the questions that are asked for it, before and after; empty where a dialect has no such question. */
export interface Answers {
  interfaces: Rows;
  neighbours: Rows;
  macs: Rows;
  /** Who it sees behind which address. */
  pairs?: Rows;
}
type Rows = readonly Record<string, string>[];

export interface EffectsLook {
  dialect: Dialect;
  steps: readonly Step[];
  /** What ran before, and what runs now. */
  before: string;
  after: string;
  was: Answers;
  is: Answers;
  /** Ports in which, by the records, a cable is plugged, by the names that they have on the device. */
  cabled: readonly string[];
}

export interface Effects {
  /** Live in the lines, dark on the device; each with why. */
  dark: string[];
  /** Nothing is known to be behind it, so nothing is wrong: it is only said. */
  remarks: string[];
}

export function effectsOf(look: EffectsLook): Effects {
  const { dialect } = look;
  const out: Effects = { dark: [], remarks: [] };
  const { ports } = dialect.sheet;
  if (ports && look.is.interfaces.length > 0) {
    const [was, is] = [dialect.portsIn(look.before), dialect.portsIn(look.after)];
    for (const port of touched(look)) {
      const now = is.get(port);
      if (now !== 'live') continue;
      portEffect(look, port, was.get(port) === 'live', out);
    }
  }
  addressEffects(look, out);
  for (const gone of goneNeighbours(look)) out.dark.push(gone);
  return out;
}

/** Ports that a step has to do with. */
function touched({ dialect, steps }: EffectsLook): Set<string> {
  const out = new Set<string>();
  for (const { above, line } of steps) {
    const port = dialect.portOf(pathText(above, line));
    if (port !== undefined) out.add(port);
  }
  return out;
}

function portEffect(look: EffectsLook, port: string, wasLiveInLines: boolean, out: Effects): void {
  const { dialect, was, is, cabled } = look;
  const name = dialect.interfaceName(port);
  const state = stateOf(is.interfaces, name);
  const isLive = (word: string | undefined) => word !== undefined && dialect.isLive(word);
  const wasLive = isLive(stateOf(was.interfaces, name));
  if (isLive(state)) {
    if (cabled.includes(name) && !wasLive && !heardOn(is, port, name))
      out.dark.push(`${name} is live, with link, and nobody is heard on it`);
    return;
  }
  const why = state === undefined ? 'the device does not have it' : `its state is ${state}: no link`;
  const opened = !wasLiveInLines;
  if (wasLive) out.dark.push(`${name} was live before, and is dark now: ${why}`);
  else if (opened && cabled.includes(name))
    out.dark.push(`${name} is live in the lines, and dark on the device: ${why}`);
  else if (opened) out.remarks.push(`${name} has no link yet`);
}

const stateOf = (rows: Rows, name: string): string | undefined => rows.find((row) => row.interface === name)?.state;

const heardOn = ({ macs, neighbours }: Answers, port: string, name: string): boolean =>
  [...macs, ...neighbours].some((row) => row.interface === port || row.interface === name);

/** Addresses that came with the change are on a live interface of the device. */
function addressEffects(look: EffectsLook, out: Effects): void {
  const { dialect, before, after, is } = look;
  if (is.interfaces.length === 0) return;
  const had = new Set(dialect.wayIn(before).addresses.map(({ address }) => address));
  for (const { on, address } of dialect.wayIn(after).addresses) {
    if (had.has(address)) continue;
    const row = is.interfaces.find((one) => one.address === address);
    if (!row) out.dark.push(`${address} is in the lines of ${on}, and no interface of the device has it`);
    else if (row.state !== undefined && !dialect.isLive(row.state))
      out.dark.push(`${address} is on ${row.interface ?? on}, which is dark: ${whyDark(look, on, address, row.state)}`);
    const twice = (is.pairs ?? []).find((one) => one.address === address.split('/')[0]);
    if (twice) out.dark.push(`${address} is there twice: ${twice.mac ?? 'another device'} has it, too`);
  }
}

/** What it sits on, or what its VLAN lacks; the device's own word where nothing of that is known. */
function whyDark({ dialect, after, is }: EffectsLook, on: string, address: string, state: string): string {
  const way = dialect.wayIn(after);
  const shut = dialect.portsIn(after);
  if (shut.get(on) === 'still') return 'it is shut in the lines';
  const below = on.replace(/\.[^.]*$/, '');
  if (below !== on) {
    if (shut.get(below) === 'still') return `it sits on ${below}, which is shut in the lines`;
    const there = stateOf(is.interfaces, dialect.interfaceName(below));
    if (there !== undefined && !dialect.isLive(there))
      return `it sits on ${below}, which is dark: its state is ${there}`;
  }
  const vlan = way.addresses.find((one) => one.address === address)?.needs;
  if (vlan !== undefined && way.carriers) {
    const ports = way.carriers.filter(({ vlans }) => vlans.includes(vlan)).map(({ port }) => port);
    if (ports.length === 0) return `VLAN ${vlan} is on no port`;
    const isUp = (port: string) => {
      const word = stateOf(is.interfaces, dialect.interfaceName(port));
      return word !== undefined && dialect.isLive(word);
    };
    if (!ports.some(isUp)) return `VLAN ${vlan} is on no live port: ${ports.slice(0, 5).join(', ')}`;
  }
  return `its state is ${state}`;
}

/** Who was heard before and is not any more; ports that were shut on purpose are left out. */
function goneNeighbours({ dialect, after, was, is }: EffectsLook): string[] {
  const shut = dialect.portsIn(after);
  return was.neighbours.flatMap(({ interface: on = '', neighbour = '', port = '' }) => {
    if (shut.get(on) === 'still') return [];
    const still = is.neighbours.some((row) => row.interface === on && row.neighbour === neighbour);
    return still ? [] : [`${neighbour} ${port} was heard on ${on}, and is not any more`.replace('  ', ' ')];
  });
}
