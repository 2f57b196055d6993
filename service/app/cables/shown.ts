/** Ways of cables as people read them: where every end is. */
import { Refusal } from '@zpine/contract/errors';
import type { CableEnd } from '@zpine/contract/hardwareRoutes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { pathsFrom, type Hop, type CablePath } from './trace.ts';

const MOST_PLUGS = 5000;

/** Ends of cables with their devices and places, asked for together. */
class Ends {
  private readonly devices: Map<number, Stored<'device'>>;
  private readonly racks: ReadonlyMap<number, string>;
  private readonly sites: ReadonlyMap<number, string>;

  private constructor(
    devices: Map<number, Stored<'device'>>,
    racks: ReadonlyMap<number, string>,
    sites: ReadonlyMap<number, string>,
  ) {
    this.devices = devices;
    this.racks = racks;
    this.sites = sites;
  }

  static async of(tx: Tx, ports: Stored<'port'>[]): Promise<Ends> {
    const devices = await byIds(tx, 'device', ports, 'device');
    const all = [...devices.values()];
    const racks = await keysOf(
      tx,
      'rack',
      all.flatMap((d) => d.rack ?? []),
    );
    const sites = await keysOf(
      tx,
      'site',
      all.flatMap((d) => d.site ?? []),
    );
    return new Ends(devices, racks, sites);
  }

  at(port: Stored<'port'>): CableEnd {
    const device = this.devices.get(port.device);
    return {
      port: port.key,
      device: device?.key ?? null,
      place: device ? this.placeOf(device) : null,
      words: port.key,
    };
  }

  of(hop: Hop): CableEnd {
    if (hop.port) return this.at(hop.port);
    return { port: null, device: null, place: null, words: hop.cable.farEnd ?? '' };
  }

  placeOf(device: Stored<'device'>): string | null {
    const rack = this.racks.get(device.rack ?? 0);
    if (rack !== undefined) return device.positionU === null ? rack : `${rack} U ${device.positionU}`;
    return this.sites.get(device.site ?? 0) ?? null;
  }

  device(port: Stored<'port'>): Stored<'device'> | undefined {
    return this.devices.get(port.device);
  }
}

const cableWords = ({ cable }: Hop) => ({
  cable: cable.key,
  kind: cable.kind,
  colour: cable.colour,
  lengthCm: cable.lengthCm,
  marking: cable.marking,
});

export async function trace(tx: Tx, ref: string): Promise<ReplyOf<'port.trace'>> {
  const port = await mustFind(tx, 'port', ref);
  const way = (await pathsFrom(tx, [port.id])).get(port.id);
  const hops = way?.hops ?? [];
  const ends = await Ends.of(tx, [port, ...hops.flatMap((hop) => hop.port ?? [])]);
  const known = hops.every((hop) => hop.cable.lengthCm !== null);
  return {
    from: ends.at(port),
    hops: hops.map((hop) => ({ ...cableWords(hop), to: ends.of(hop) })),
    ends: way?.ends ?? 'none',
    lengthCm: known && hops.length > 0 ? hops.reduce((sum, hop) => sum + (hop.cable.lengthCm ?? 0), 0) : null,
  };
}

export async function plugs(tx: Tx, query: QueryOf<'cable.plugs'>): Promise<ReplyOf<'cable.plugs'>> {
  const devices = await devicesOf(tx, query);
  const ports = await cabledPorts(tx, devices);
  if (ports.length > MOST_PLUGS) throw Refusal.at(['site'], 'bulk-many', { max: MOST_PLUGS });
  const ways = await pathsFrom(
    tx,
    ports.map((port) => port.id),
  );
  const all = [...ways.values()].flatMap((way) => way.hops.flatMap((hop) => hop.port ?? []));
  const ends = await Ends.of(tx, [...ports, ...all]);
  const highest = (port: Stored<'port'>): number => ends.device(port)?.positionU ?? 0;
  const rackOf = (port: Stored<'port'>): number => ends.device(port)?.rack ?? 0;
  // As one stands before the racks: one after the other, from the top down, and port by port.
  const ordered = ports
    .map((port, i) => ({ port, i }))
    .sort((a, b) => rackOf(a.port) - rackOf(b.port) || highest(b.port) - highest(a.port) || a.i - b.i);
  return { items: ordered.flatMap(({ port }) => plugOf(ends, port, ways.get(port.id))) };
}

function plugOf(ends: Ends, port: Stored<'port'>, way: CablePath | undefined): ReplyOf<'cable.plugs'>['items'] {
  const [first] = way?.hops ?? [];
  const last = way?.hops.at(-1);
  if (!way || !first || !last) return [];
  const far = last === first ? null : ends.of(last);
  return [{ from: ends.at(port), ...cableWords(first), to: ends.of(first), far, ends: way.ends }];
}

async function devicesOf(tx: Tx, { rack, device, site }: QueryOf<'cable.plugs'>): Promise<Stored<'device'>[]> {
  if (device !== undefined) return [await mustFindField(tx, 'device', device, 'device')];
  if (rack !== undefined) return find(tx, 'device', { rack_id: (await mustFindField(tx, 'rack', rack, 'rack')).id });
  if (site !== undefined) return find(tx, 'device', { site_id: (await mustFindField(tx, 'site', site, 'site')).id });
  throw Refusal.at(['rack'], 'value-missing');
}

async function cabledPorts(tx: Tx, devices: Stored<'device'>[]): Promise<Stored<'port'>[]> {
  if (devices.length === 0) return [];
  const rows = await tx.select<{ port_id: number }>(
    'SELECT e.port_id FROM cable_end e JOIN port p ON p.id = e.port_id WHERE p.device_id IN (?)',
    [devices.map((d) => d.id)],
  );
  return find(tx, 'port', { id: rows.map((row) => Number(row.port_id)) }, { order: ['sort_key'] });
}
