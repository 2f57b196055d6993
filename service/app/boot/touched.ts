/** Which of what decisions look up is touched by changes of records. */
import type { BootMemory } from '@zpine/core/dhcp/memory';
import { devicesBehind, devicesLabelled } from '../devices/behind.ts';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { Hint } from '../../store/hint.ts';

export type Touch = {
  devices: Set<number>;
  links: Set<number>;
  /** Boxes that may be fitted nowhere. */
  boxes: Set<number>;
  strangers: Set<number> | undefined;
  /** Prefixes whose leases were ended by somebody. */
  leasesIn: Set<number>;
  settings: boolean;
  profiles: boolean;
  dialects: boolean;
  sites: boolean;
};

/** Records that devices stand in, by which settings hold for them. */
const LAYERS = ['area', 'site', 'room', 'rack', 'label', 'model', 'duty', 'dialect'] as const;
const PARTS = ['box', 'interface', 'address'] as const;
/** What a device is given, and for how long. */
const GIVEN = ['edition', 'arrival'] as const;

export async function touchedBy(tx: Tx, hints: readonly Hint[], memory: BootMemory): Promise<Touch> {
  const of = (kind: string) => [...new Set(hints.filter((hint) => hint.kind === kind).map(({ id }) => id))];
  const devices = new Set(of('device'));
  for (const kind of PARTS) {
    const ids = of(kind);
    for (const id of ids) add(devices, memory.deviceBehind(kind, id));
    if (ids.length > 0) for (const id of await deviceOf[kind](tx, ids)) devices.add(id);
  }
  for (const kind of GIVEN) {
    const ids = of(kind);
    if (ids.length > 0) for (const id of await devicesBehind(tx, kind, ids)) devices.add(id);
  }
  const prefixes = of('prefix');
  // A device without a site of its own stands where its address does; the addresses of a prefix that is gone are in another.
  if (prefixes.length > 0)
    for (const id of [...memory.devicesAddressed(new Set(prefixes)), ...(await devicesBehind(tx, 'prefix', prefixes))])
      devices.add(id);
  for (const kind of LAYERS) {
    const ids = of(kind);
    if (ids.length === 0) continue;
    for (const id of ids) for (const device of memory.devicesIn(kind, id)) devices.add(device);
    const behind = kind === 'label' ? await labelled(tx, ids) : await devicesBehind(tx, kind, ids);
    for (const id of behind) devices.add(id);
  }
  const vrfs = of('vrf');
  const renamed = [...memory.links.all()].filter(({ vrf }) => vrfs.includes(vrf)).map(({ id }) => id);
  const strangers = of('stranger');
  return {
    devices,
    links: new Set([...prefixes, ...renamed]),
    boxes: new Set(of('box')),
    strangers: strangers.length > 0 ? new Set(strangers) : undefined,
    leasesIn: new Set(of('leases-in')),
    // A value is told with the name of its layer.
    settings:
      of('device').some((id) => memory.says('device', id)) ||
      prefixes.some((id) => memory.says('prefix', id)) ||
      of('bootprofile').some((id) => memory.says('bootprofile', id)) ||
      of('value').length + of('setting').length + LAYERS.reduce((sum, kind) => sum + of(kind).length, 0) > 0,
    // A text for strangers goes by its name.
    profiles: of('bootprofile').length + of('template').length > 0,
    dialects: of('dialect').length > 0,
    sites: of('site').length > 0,
  };
}

function add(set: Set<number>, id: number | undefined): void {
  if (id !== undefined) set.add(id);
}

const column = (sql: string) => async (tx: Tx, ids: number[]) =>
  (await tx.select<{ id: number | null }>(sql, [ids])).flatMap(({ id }) => (id === null ? [] : [Number(id)]));

const deviceOf = {
  box: column('SELECT device_id AS id FROM box WHERE id IN (?)'),
  interface: column('SELECT device_id AS id FROM interface WHERE id IN (?)'),
  address: column(
    'SELECT i.device_id AS id FROM address a JOIN interface i ON i.id = a.interface_id WHERE a.id IN (?)',
  ),
} satisfies Record<(typeof PARTS)[number], (tx: Tx, ids: number[]) => Promise<number[]>>;

async function labelled(tx: Tx, ids: number[]): Promise<number[]> {
  const labels = await byIds(tx, 'label', ids);
  return devicesLabelled(
    tx,
    [...labels.values()].map(({ name }) => name),
  );
}
