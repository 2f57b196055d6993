/** Whose addresses these are. */
import { parseIp } from '@zpine/core/addressing/ip';
import { allOf, byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** By address, then by VRF: the device that has it on an interface. */
export async function addressesAt(tx: Tx, addresses: Iterable<string>): Promise<Map<string, Map<number, number>>> {
  const asked = [...new Set(addresses)].filter((one) => parseIp(one).ok);
  const out = new Map<string, Map<number, number>>();
  const vrfs = (await allOf(tx, 'vrf')).map(({ key }) => key);
  const keys = asked.flatMap((one) => [one, ...vrfs.map((vrf) => `${one}@${vrf}`)]);
  const records = await find(tx, 'address', { natural_key: keys });
  const interfaces = await byIds(tx, 'interface', records, 'interface');
  for (const { address, vrf, interface: on } of records) {
    const device = interfaces.get(on ?? 0)?.device;
    if (device !== undefined) out.set(address, (out.get(address) ?? new Map<number, number>()).set(vrf, device));
  }
  return out;
}
