/** An estate that could be somebody's, from a seed: the same seed gives the same estate. Pure; what fills the database is beside it. */

/** A small generator of numbers (mulberry32): 0 to below 1. */
function seeded(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
}

interface PlannedDevice {
  name: string;
  duty: 'access' | 'core' | 'crossing-router';
  model: string;
  rack: string;
  positionU: number;
  stage: 'serving' | 'unproved' | 'prepared' | 'sketched' | 'faulty';
  labels: string[];
  serial: string;
  mac: string;
  /** The last number of its management address, counted from the first of the prefix. */
  host: number;
}

export interface PlannedSite {
  code: string;
  title: string;
  area: string;
  rooms: string[];
  racks: { room: string; name: string; heightU: number }[];
  block: string;
  prefixes: { cidr: string; vlan: number; gateway: string; pool: string | null; title: string }[];
  management: string;
  devices: PlannedDevice[];
  cables: { from: string; to: string }[];
}

export const vlans = [
  { number: 304, title: 'management', use: 'management' },
  { number: 316, title: 'staff', use: 'staff' },
  { number: 328, title: 'ticketing', use: 'ticketing' },
  { number: 340, title: 'wireless', use: 'wireless' },
  { number: 352, title: 'cameras', use: 'cameras' },
];

/** How many sites of this size fit into 10.0.0.0/8. */
const MOST_SITES = 8192;
export const MOST_DEVICES = 300_000;
const MEAN_DEVICES = 40;

const first = [
  'ar',
  'bran',
  'cob',
  'dun',
  'el',
  'fen',
  'gar',
  'hol',
  'in',
  'kel',
  'lar',
  'mor',
  'nor',
  'os',
  'pen',
  'ras',
  'ske',
  'tor',
  'ul',
  'wick',
];
const middle = ['a', 'e', 'i', 'o', 'u', 'de', 'ne', 'ri', 'lo', 'va'];
const last = ['by', 'cliff', 'dale', 'ferry', 'ford', 'ham', 'holm', 'ness', 'point', 'quay', 'sound', 'wick'];

export const regions = ['north', 'south', 'east', 'west', 'islands'];
const LINES = 12;
export const linesOf = (region: string): string[] => Array.from({ length: LINES }, (_, i) => `${region}-line-${i + 1}`);

const ip = (value: number): string => [24, 16, 8, 0].map((shift) => (value >>> shift) & 255).join('.');
const hex = (value: number, digits: number): string => value.toString(16).padStart(digits, '0');

/** Sites until there are as many devices as wanted; the last one may be smaller. */
export function* plannedSites(devices: number, seed: number): Generator<PlannedSite> {
  if (devices > MOST_DEVICES) throw new Error(`an estate has ${MOST_DEVICES} devices at the most`);
  const random = seeded(seed);
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const taken = new Map<string, number>();
  let made = 0;
  for (let n = 0; made < devices && n < MOST_SITES; n += 1) {
    const name = `${pick(first)}${pick(middle)}${pick(last)}`;
    const before = taken.get(name) ?? 0;
    taken.set(name, before + 1);
    const code = before === 0 ? name : `${name}${before + 1}`;
    // Most sites are small, some are large: a few hundred devices are in one building.
    const wanted = Math.round(MEAN_DEVICES * (random() < 0.08 ? 2 + 5 * random() : 0.3 + random()));
    const count = Math.min(devices - made, Math.max(3, Math.min(400, wanted)));
    const title = `${code.charAt(0).toUpperCase()}${code.slice(1)}`;
    yield siteOf({ code, title, count, number: n, from: made, random, pick });
    made += count;
  }
}

interface Beginning {
  code: string;
  title: string;
  count: number;
  number: number;
  /** How many devices there are before this site. */
  from: number;
  random: () => number;
  pick: <T>(list: readonly T[]) => T;
}

const RACK_U = 42;
/** Devices of a rack, every other U. */
const IN_RACK = 18;

function siteOf({ code, title, count, number, from, random, pick }: Beginning): PlannedSite {
  const block = (10 * 2 ** 24 + number * 2 ** 11) >>> 0;
  const roomCount = Math.ceil(count / (IN_RACK * 6));
  const rooms = Array.from({ length: roomCount }, (_, i) => `room-${i + 1}`);
  const racks = Array.from({ length: Math.ceil(count / IN_RACK) }, (_, i) => ({
    room: rooms[i % roomCount] ?? '',
    name: `r${i + 1}`,
    heightU: RACK_U,
  }));
  const routers = Math.max(1, Math.ceil(count / 60));
  const devices = Array.from({ length: count }, (_, i): PlannedDevice => {
    const rack = racks[Math.floor(i / IN_RACK)];
    const router = i < routers;
    const core = !router && i < routers + Math.floor(count / 25);
    const duty = router ? 'crossing-router' : core ? 'core' : 'access';
    const chance = random();
    const serial = from + i + 1;
    return {
      name: `${code}-${router ? 'xr' : core ? 'core' : 'acc'}-${router ? i + 1 : core ? i - routers + 1 : i - routers - Math.floor(count / 25) + 1}`,
      duty,
      model: router ? 'copperbell/cb-7' : core || random() < 0.25 ? 'larkfield/lf-48' : 'larkfield/lf-24',
      rack: `${code}/${rack?.room ?? ''}/${rack?.name ?? ''}`,
      positionU: 2 * (i % IN_RACK) + 1,
      stage:
        chance < 0.86
          ? 'serving'
          : chance < 0.93
            ? 'unproved'
            : chance < 0.97
              ? 'prepared'
              : chance < 0.99
                ? 'sketched'
                : 'faulty',
      labels: random() < 0.1 ? [pick(['quayside', 'spare-parts', 'winter', 'pilot'])] : [],
      serial: `${router ? 'CB7' : 'LF'}-${String(serial).padStart(7, '0')}`,
      // Locally administered: nobody's.
      mac: `02:77:${[16, 8, 0].map((shift) => hex((serial >>> shift) & 255, 2)).join(':')}:00`,
      host: 11 + i,
    };
  });
  return {
    code,
    title,
    area: pick(linesOf(pick(regions))),
    rooms,
    racks,
    block: `${ip(block)}/21`,
    management: `${ip(block)}/23`,
    prefixes: [
      {
        cidr: `${ip(block)}/23`,
        vlan: 304,
        gateway: ip(block + 1),
        pool: `${ip(block + 450)}-${ip(block + 500)}`,
        title: 'Management',
      },
      ...vlans.slice(1).map(({ number: vlan, title: of }, i) => {
        const at = block + 512 + i * 256;
        return {
          cidr: `${ip(at)}/24`,
          vlan,
          gateway: ip(at + 1),
          pool: of === 'cameras' ? null : `${ip(at + 100)}-${ip(at + 250)}`,
          title: of.charAt(0).toUpperCase() + of.slice(1),
        };
      }),
    ],
    devices,
    cables: cablesOf(devices),
  };
}

/** Access hangs on core where there is one, core and the rest on routers, as far as their sockets reach. */
function cablesOf(devices: PlannedDevice[]): { from: string; to: string }[] {
  const used = new Map<string, number>();
  const socket = (device: PlannedDevice): string | undefined => {
    const n = (used.get(device.name) ?? 0) + 1;
    const most = device.model.endsWith('cb-7') ? 6 : device.model.endsWith('24') ? 20 : 44;
    if (n > most) return undefined;
    used.set(device.name, n);
    return device.duty === 'crossing-router' ? `${device.name}:cu${n}` : `${device.name}:1/${n}`;
  };
  const of = (duty: PlannedDevice['duty']) => devices.filter((device) => device.duty === duty);
  const [routers, cores] = [of('crossing-router'), of('core')];
  const cables: { from: string; to: string }[] = [];
  const join = (device: PlannedDevice, uplink: string, to: PlannedDevice[]): void => {
    for (const other of to) {
      const end = socket(other);
      if (end === undefined) continue;
      cables.push({ from: `${device.name}:${uplink}`, to: end });
      return;
    }
  };
  for (const core of cores) join(core, '1/48', routers);
  const turn = (list: PlannedDevice[], at: number) => [...list.slice(at % Math.max(1, list.length)), ...list];
  for (const [i, device] of of('access').entries())
    join(device, device.model.endsWith('48') ? '1/48' : '1/24', cores.length > 0 ? turn(cores, i) : turn(routers, i));
  return cables;
}

/** The address of a device in the management prefix of its site. */
export function addressIn(cidr: string, host: number): string {
  const [a = 0, b = 0, c = 0, d = 0] = (cidr.split('/')[0] ?? '').split('.').map(Number);
  return ip((a * 2 ** 24 + b * 2 ** 16 + c * 2 ** 8 + d + host) >>> 0);
}
