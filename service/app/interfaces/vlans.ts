/** VLANs of interfaces: each is one of the site that the device stands at. */
import { formatNumbers } from '@zpine/core/lists/numbers';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { type Draft, idsOf } from '../records/draft.ts';
import { byIds, find, keyOf } from '../../store/records.ts';
import { update } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';

/** `316` is the VLAN 316 of the site of the device. */
export async function spellVlans(tx: Tx, drafts: Draft[], field: string): Promise<void> {
  if (field !== 'vlan') return;
  const short = drafts.filter((d) => typeof d.after.vlan === 'string' && /^\s*\d{1,4}\s*$/.test(d.after.vlan));
  if (short.length === 0) return;
  const devices = await byIds(tx, 'device', idsOf(short, 'device'));
  for (const draft of short) {
    const device = devices.get(draft.id('device') ?? 0);
    if (!device) continue;
    const site = await keyOf(tx, 'site', device.site);
    if (site === null) {
      draft.fault('vlan', 'vlan-without-site', { device: device.key });
      draft.after.vlan = null;
    } else draft.after.vlan = `${site}/${Number(draft.after.vlan)}`;
  }
}

export async function checkVlans(tx: Tx, drafts: Draft[], devices: Map<number, Stored<'device'>>): Promise<void> {
  // Its device is on its way back, too, to the site that has these.
  if (tx.takingBack) return;
  const looked = drafts.filter(
    (d) => (d.changes('vlan') && d.id('vlan') !== null) || (d.changes('tagged') && d.after.tagged),
  );
  const vlans = await byIds(tx, 'vlan', idsOf(looked, 'vlan'));
  const sites = new Set<number>();
  for (const draft of looked) {
    const device = devices.get(draft.id('device') ?? 0);
    const vlan = vlans.get(draft.id('vlan') ?? 0);
    if (!device) continue;
    if (device.site === null) {
      draft.fault(vlan ? 'vlan' : 'tagged', 'vlan-without-site', { device: device.key });
      continue;
    }
    if (draft.after.tagged) sites.add(device.site);
    if (!vlan || vlan.site === device.site) continue;
    const site = (await keyOf(tx, 'site', device.site)) ?? '';
    draft.fault('vlan', 'vlan-elsewhere', { device: device.key, site, vlan: vlan.key });
  }
  const known = await numbersAt(tx, [...sites]);
  for (const draft of looked) {
    const site = devices.get(draft.id('device') ?? 0)?.site ?? null;
    if (!Array.isArray(draft.after.tagged) || site === null) continue;
    const missing = draft.after.tagged.map(Number).filter((number) => !known.get(site)?.has(number));
    const [first] = missing;
    if (first === undefined) continue;
    const code = (await keyOf(tx, 'site', site)) ?? '';
    draft.fault('tagged', 'vlan-missing', { site: code, numbers: formatNumbers(missing), first });
  }
}

/** The VLANs of sites, by number. */
export async function numbersAt(tx: Tx, sites: number[]): Promise<Map<number, Map<number, number>>> {
  const out = new Map<number, Map<number, number>>(sites.map((site) => [site, new Map()]));
  for (const vlan of await find(tx, 'vlan', { site_id: sites })) out.get(vlan.site)?.set(vlan.number, vlan.id);
  return out;
}

/** Beside the numbers that a trunk carries stand the VLANs, so that none is removed under it. */
export async function keepTrunks(tx: Tx, interfaces: Stored<'interface'>[], again = false): Promise<void> {
  if (again && interfaces.length > 0)
    await tx.execute('DELETE FROM interface_vlan WHERE interface_id IN (?)', [interfaces.map((i) => i.id)]);
  const trunks = interfaces.filter((i) => i.tagged !== null && i.tagged.length > 0);
  if (trunks.length === 0) return;
  const devices = await byIds(tx, 'device', trunks, 'device');
  const known = await numbersAt(
    tx,
    [...devices.values()].flatMap((d) => d.site ?? []),
  );
  const rows = trunks.flatMap(({ id, device, tagged }) =>
    (tagged ?? []).flatMap((number) => {
      const vlan = known.get(devices.get(device)?.site ?? 0)?.get(number);
      return vlan === undefined ? [] : [{ interface_id: id, vlan_id: vlan }];
    }),
  );
  if (rows.length > 0) await tx.insertRows('interface_vlan', rows, '');
}

/** A device that moves to another site takes the VLANs of the same numbers there, or stays where it is. */
export async function followSite(tx: Tx, devices: Stored<'device'>[]): Promise<void> {
  for (const device of devices) {
    const interfaces = await find(tx, 'interface', { device_id: device.id }, { order: ['sort_key'] });
    const vlans = await byIds(
      tx,
      'vlan',
      interfaces.flatMap((i) => i.vlan ?? []),
    );
    const using = interfaces.filter((i) => i.vlan !== null || i.tagged !== null);
    if (using.length === 0) continue;
    if (device.site === null) throw new Refusal('vlan-without-site', { device: device.key });
    const known = (await numbersAt(tx, [device.site])).get(device.site) ?? new Map<number, number>();
    const used = using.flatMap((i) => [
      ...(i.tagged ?? []),
      ...(i.vlan === null ? [] : [vlans.get(i.vlan)?.number ?? 0]),
    ]);
    const missing = [...new Set(used)].filter((number) => !known.has(number)).sort((a, b) => a - b);
    if (missing.length > 0) {
      const site = (await keyOf(tx, 'site', device.site)) ?? '';
      throw new Refusal('vlans-lost', { device: device.key, site, numbers: formatNumbers(missing) });
    }
    const moved = using.filter((i) => i.vlan !== null);
    await update(
      tx,
      'interface',
      moved.map((before) => ({
        before,
        after: { ...before, vlan: known.get(vlans.get(before.vlan ?? 0)?.number ?? 0) ?? null },
      })),
    );
    await keepTrunks(tx, using, true);
  }
}
