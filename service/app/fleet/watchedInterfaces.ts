/** Which interfaces of devices are watched, by what the records know of them. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { watchedBy, type KnownInterface, type WatchChoice } from '@zpine/core/fleet/watchChoice';
import { grouped } from '@zpine/core/lists/grouped';
import { sitesOf } from '../devices/inForce.ts';
import { byIds, find, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

export interface ToWatch {
  device: number;
  dialect: Dialect | undefined;
  choices: readonly WatchChoice[];
}

/** By the id of a device, whether an interface is watched that the device names so. Only those are asked about that do not watch all. */
export async function watchedInterfaces(
  tx: Tx,
  devices: readonly ToWatch[],
): Promise<Map<number, (name: string) => boolean>> {
  const chosen = devices.filter(({ choices }) => !choices.some(({ kind }) => kind === 'all'));
  const known = chosen.length === 0 ? new Map<number, KnownInterface[]>() : await knownInterfaces(tx, chosen);
  return new Map(devices.map(({ device, choices }) => [device, watchedBy(choices, known.get(device) ?? [])]));
}

async function knownInterfaces(tx: Tx, devices: readonly ToWatch[]): Promise<Map<number, KnownInterface[]>> {
  const ids = devices.map(({ device }) => device);
  const interfaces = await find(tx, 'interface', { device_id: ids });
  const vlans = await byIds(
    tx,
    'vlan',
    interfaces.flatMap(({ vlan }) => vlan ?? []),
  );
  // Tagged ones are said by their numbers: they are those of the site.
  const numbers = [...new Set(interfaces.flatMap(({ tagged }) => tagged ?? []))];
  const records = [...(await byIds(tx, 'device', ids)).values()];
  const sites = await sitesOf(tx, records);
  const siteVlans = numbers.length === 0 ? [] : await find(tx, 'vlan', { number: numbers });
  const uses = await keysOf(
    tx,
    'use',
    [...vlans.values(), ...siteVlans].flatMap(({ use }) => use ?? []),
  );
  const cabled = grouped(await cabledPorts(tx, ids), (row) => Number(row.device_id));
  const own = grouped(interfaces, ({ device }) => device);
  return new Map(
    devices.map(({ device, dialect }) => {
      const ports = new Set((cabled.get(device) ?? []).map(({ name }) => name));
      const toDevice = (name: string): string => dialect?.interfaceName(name) ?? name;
      const described = (own.get(device) ?? []).map((one): KnownInterface => {
        const tagged = one.tagged ?? [];
        const carried = [
          ...(one.vlan === null ? [] : [vlans.get(one.vlan)]),
          ...siteVlans.filter(({ number, site }) => tagged.includes(number) && site === sites.get(device)),
        ].flatMap((vlan) => vlan ?? []);
        return {
          name: toDevice(one.name),
          labels: one.labels ?? [],
          vlans: [...tagged, ...carried.map(({ number }) => number)],
          uses: carried.flatMap(({ use }) => (use === null ? [] : (uses.get(use) ?? []))),
          cabled: ports.has(one.name),
        };
      });
      const names = new Set(described.map(({ name }) => name));
      const bare = [...ports]
        .map(toDevice)
        .filter((name) => !names.has(name))
        .map((name): KnownInterface => ({ name, labels: [], vlans: [], uses: [], cabled: true }));
      return [device, [...described, ...bare]];
    }),
  );
}

/** Ports from which a cable leads to a port of another device of ours. */
const cabledPorts = (tx: Tx, ids: readonly number[]): Promise<{ device_id: number; name: string }[]> =>
  tx.select(
    `SELECT p.device_id, p.name FROM cable c JOIN port p ON p.id = c.from_id JOIN port q ON q.id = c.to_id WHERE p.device_id IN (?) AND q.device_id <> p.device_id
     UNION SELECT q.device_id, q.name FROM cable c JOIN port p ON p.id = c.from_id JOIN port q ON q.id = c.to_id WHERE q.device_id IN (?) AND q.device_id <> p.device_id`,
    [ids, ids],
  );
