/** Where a device boots, as its relay says, held against where the records have it. */
import type { Happened } from '@zpine/core/dhcp/decide';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, byKeys, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { addressesAt } from '../boot/addressesAt.ts';
import { pathsFrom } from '../cables/trace.ts';
import { uniqueIds } from '../settings/layers.ts';
import { sitesOf } from '../devices/inForce.ts';
import { batchSays } from './inBatch.ts';

type Place = NonNullable<Happened['place']>;

/** One word for it: the same place is looked at once. */
export const placeWord = ({ prefix, relay, circuit }: Place): string =>
  `${prefix} ${relay ?? ''} ${circuit ?? ''}`.trim();

/** Ports of the records that relays name: `ske-xr-1:cu2`, or `cu2` alone of the device that the relay's address is on. */
export async function portsNamed(
  tx: Tx,
  said: readonly { relay: string | null; circuit: string | null }[],
): Promise<(said: { relay: string | null; circuit: string | null }) => Stored<'port'> | undefined> {
  const named = said.filter(({ circuit }) => circuit !== null && circuit.trim() !== '');
  if (named.length === 0) return () => undefined;
  const at = await addressesAt(tx, uniqueWords(named.flatMap(({ relay }) => relay ?? [])));
  const devices = await byIds(tx, 'device', uniqueIds([...at.values()].flatMap((held) => [...held.values()])));
  const keysOf = ({ relay, circuit }: { relay: string | null; circuit: string | null }): string[] => {
    const word = circuit?.trim().toLowerCase() ?? '';
    const holders = relay === null ? [] : [...(at.get(relay)?.values() ?? [])];
    return [word, ...holders.flatMap((id) => (devices.has(id) ? [`${devices.get(id)?.key ?? ''}:${word}`] : []))];
  };
  const ports = await byKeys(tx, 'port', uniqueWords(named.flatMap(keysOf)));
  return (one) => keysOf(one).flatMap((key) => ports.get(key) ?? [])[0];
}

const uniqueWords = (words: readonly string[]): string[] => [...new Set(words)];

/** In words; undefined where nothing speaks against it, or the records do not say. */
export async function elsewhere(tx: Tx, device: Stored<'device'>, place: Place): Promise<string | undefined> {
  if (await batchSays(tx, device, ({ anywhere }) => anywhere)) return undefined;
  const site = (await sitesOf(tx, [device])).get(device.id) ?? null;
  if (place.site !== null && site !== null && place.site !== site) {
    const [there, here] = [await keyOf(tx, 'site', place.site), await keyOf(tx, 'site', site)];
    return `it boots at ${there?.toUpperCase() ?? ''}, and the records have it at ${here?.toUpperCase() ?? ''}`;
  }
  const port = (await portsNamed(tx, [place]))(place);
  if (!port || port.device === device.id) return undefined;
  const far = await cabledTo(tx, [port]);
  const [there] = far.values();
  if (there === device.id) return undefined;
  const own = await cabledTo(tx, await find(tx, 'port', { device_id: device.id }));
  const name = port.key;
  if (there !== undefined) {
    // It hangs behind the device that the port leads to.
    if ([...own.values()].includes(there)) return undefined;
    return `it boots in ${name}, whose cable leads to ${(await keyOf(tx, 'device', there)) ?? ''} in the records`;
  }
  const uplinks = [...own].flatMap(([id, device_]) => (device_ === port.device ? [id] : []));
  if (uplinks.length === 0) return undefined;
  const ways = await pathsFrom(tx, uplinks);
  const recorded = [...ways.values()].flatMap(({ hops }) => hops.at(-1)?.port?.key ?? []);
  return `it boots in ${name}, and the records have it in ${recorded.join(', ')}`;
}

/** By port: the device at the other end of its cable, as far as the records have one. */
async function cabledTo(tx: Tx, ports: readonly Stored<'port'>[]): Promise<Map<number, number>> {
  const ways = await pathsFrom(
    tx,
    ports.map(({ id }) => id),
  );
  return new Map(
    [...ways].flatMap(([id, { ends, hops }]) => {
      const far = ends === 'port' ? hops.at(-1)?.port : undefined;
      return far ? [[id, far.device] as const] : [];
    }),
  );
}
