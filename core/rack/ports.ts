/**
 * Kinds of sockets, by the names that their standards have: Ethernet by its port types in IEEE 802.3. Which of them a
 * cable can join follows from this one table.
 */

/** `any`: Ethernet of which nobody said more. */
type Medium = 'copper' | 'fibre' | 'any' | 'console' | 'usb' | 'inlet' | 'outlet';

interface PortKind {
  title: string;
  medium: Medium;
  /** The fastest that it does. */
  mbps?: number;
  /** Fibres in each direction; sockets of unlike numbers do not join. */
  lanes?: number;
  /** Two sockets back to back: what comes in at the front goes on at the rear. */
  panel?: boolean;
}

const kinds = {
  '100base-tx': { title: '100BASE-TX', medium: 'copper', mbps: 100 },
  '1000base-t': { title: '1000BASE-T', medium: 'copper', mbps: 1000 },
  '2.5gbase-t': { title: '2.5GBASE-T', medium: 'copper', mbps: 2500 },
  '5gbase-t': { title: '5GBASE-T', medium: 'copper', mbps: 5000 },
  '10gbase-t': { title: '10GBASE-T', medium: 'copper', mbps: 10_000 },
  '1000base-x': { title: '1000BASE-X', medium: 'fibre', mbps: 1000, lanes: 1 },
  '10gbase-r': { title: '10GBASE-R', medium: 'fibre', mbps: 10_000, lanes: 1 },
  '25gbase-r': { title: '25GBASE-R', medium: 'fibre', mbps: 25_000, lanes: 1 },
  '40gbase-r': { title: '40GBASE-R', medium: 'fibre', mbps: 40_000, lanes: 4 },
  '100gbase-r': { title: '100GBASE-R', medium: 'fibre', mbps: 100_000, lanes: 4 },
  '400gbase-r': { title: '400GBASE-R', medium: 'fibre', mbps: 400_000, lanes: 8 },
  ethernet: { title: 'Ethernet', medium: 'any' },
  'panel-copper': { title: 'Panel, copper', medium: 'copper', panel: true },
  'panel-fibre': { title: 'Panel, fibre', medium: 'fibre', panel: true },
  console: { title: 'Console', medium: 'console' },
  'console-usb': { title: 'Console, USB', medium: 'usb' },
  'power-inlet': { title: 'Power inlet', medium: 'inlet' },
  'power-outlet': { title: 'Power outlet', medium: 'outlet' },
} as const satisfies Record<string, PortKind>;

export type PortKindName = keyof typeof kinds;
export const portKinds: Record<PortKindName, PortKind> = kinds;
export const portKindNames = Object.keys(kinds) as PortKindName[];
export const isPortKind = (name: string): name is PortKindName => name in kinds;

/** Whether a port is one that is configured: it has an interface. */
export const isEthernet = (name: PortKindName): boolean => {
  const { medium, panel } = portKinds[name];
  return panel !== true && (medium === 'copper' || medium === 'fibre' || medium === 'any');
};

/** Whether a cable can join the two at all. */
export function portsFit(one: PortKindName, other: PortKindName): boolean {
  const [a, b] = [portKinds[one], portKinds[other]];
  if (isEthernet(one) && a.medium === 'any') return isEthernet(other) || b.panel === true;
  if (isEthernet(other) && b.medium === 'any') return isEthernet(one) || a.panel === true;
  if (a.medium === 'inlet' || b.medium === 'inlet') return a.medium === 'outlet' || b.medium === 'outlet';
  if (a.medium === 'outlet' || b.medium === 'outlet') return false;
  // A console's eight wires run through copper panels like any others.
  if (a.medium === 'console' || b.medium === 'console')
    return (a.medium === 'console' || a.panel === true) && (b.medium === 'console' || b.panel === true) && !fibre(a, b);
  if (a.medium !== b.medium) return false;
  return a.lanes === undefined || b.lanes === undefined || a.lanes === b.lanes;
}

const fibre = (...ends: PortKind[]): boolean => ends.some((end) => end.medium === 'fibre');

/** Kinds of cables, and the sockets that each goes into. */
const cables = {
  cat5e: { title: 'Cat 5e', media: ['copper', 'console'] },
  cat6: { title: 'Cat 6', media: ['copper', 'console'] },
  cat6a: { title: 'Cat 6A', media: ['copper', 'console'] },
  om3: { title: 'OM3', media: ['fibre'] },
  om4: { title: 'OM4', media: ['fibre'] },
  os2: { title: 'OS2', media: ['fibre'] },
  twinax: { title: 'Twinax', media: ['fibre'] },
  console: { title: 'Console', media: ['console', 'copper'] },
  usb: { title: 'USB', media: ['usb'] },
  power: { title: 'Power', media: ['inlet', 'outlet'] },
} as const satisfies Record<string, { title: string; media: readonly Medium[] }>;

export type CableKindName = keyof typeof cables;
const cableKinds: Record<CableKindName, { title: string; media: readonly Medium[] }> = cables;
export const cableKindNames = Object.keys(cables) as CableKindName[];

/** Whether such a cable may lead from one building to another. */
export const leavesBuilding = (cable: CableKindName): boolean =>
  cable !== 'twinax' && cableKinds[cable].media.includes('fibre');

/** Whether the plug of such a cable goes into such a port. */
export function plugFits(cable: CableKindName, port: PortKindName): boolean {
  const { medium, panel } = portKinds[port];
  if (medium === 'any') return cableKinds[cable].media.some((m) => m === 'copper' || m === 'fibre');
  // A twinax cable has its modules on it, and a panel has no room for modules.
  if (cable === 'twinax' && panel === true) return false;
  return cableKinds[cable].media.includes(medium);
}

/** How colours of cables are drawn; their names stand beside them. */
export const cableColours = {
  black: '#2c2a26',
  white: '#fffdf8',
  grey: '#a39b8b',
  brown: '#7a5230',
  red: '#a3303b',
  orange: '#d2691e',
  yellow: '#e0b83a',
  green: '#5d7f3c',
  turquoise: '#3a9c96',
  blue: '#2b6486',
  violet: '#75508f',
  pink: '#d68aa0',
} as const;
