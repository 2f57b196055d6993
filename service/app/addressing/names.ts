/** Names for addresses: a hosts file and zone files, of a site or of all. */
import { grouped } from '@zpine/core/lists/grouped';
import { parseDomain } from '@zpine/core/naming/domain';
import { hostsText, nextSerial, zonesOf, zoneText, type Host, type Zone } from '@zpine/core/zones/zones';
import { listSetting, numberSetting, textSetting } from '@zpine/core/settings/read';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find } from '../../store/records.ts';
import { sha256Hex } from '../../store/digests.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFindField } from '../records/refs.ts';
import { everywhereSettings, settingsOf } from '../settings/effective.ts';
import { addressesOn } from './carried.ts';

const SLICE = 500;
const TTL_SECONDS = 3600;

export async function hostsFile(tx: Tx, query: QueryOf<'names.hosts'>): Promise<ReplyOf<'names.hosts'>> {
  const { hosts } = await hostsOf(tx, query.site);
  return { text: hostsText(hosts), hosts: hosts.length };
}

/** All zone files; the serial of a zone grows when its records differ from those of the last time. */
export async function zoneFiles(tx: Tx, body: BodyOf<'names.zones'>): Promise<ReplyOf<'names.zones'>> {
  const { hosts, nameless } = await hostsOf(tx, body.site);
  const settings = await everywhereSettings(tx);
  const servers = listSetting(settings, 'zone.servers').map((text) => {
    const name = parseDomain(text);
    if (!name.ok) throw new Refusal('zone-server', { value: text });
    return name.value;
  });
  if (servers.length === 0) throw new Refusal('zone-servers-missing');
  const zones = zonesOf(hosts.filter((host) => host.domain !== ''));
  const fallback = `hostmaster@${zones.find((zone) => !zone.name.endsWith('.arpa'))?.name ?? servers[0] ?? ''}`;
  const options = {
    servers,
    contact: textSetting(settings, 'zone.contact') ?? fallback,
    ttlSeconds: numberSetting(settings, 'zone.seconds') ?? TTL_SECONDS,
  };
  const items: ReplyOf<'names.zones'>['items'] = [];
  for (const zone of zones) {
    const serial = await serialOf(tx, zone, zoneText(zone, 0, options), body.site !== undefined);
    items.push({ zone: zone.name, serial, records: zone.lines.length, text: zoneText(zone, serial, options) });
  }
  return { items, nameless: nameless.slice(0, SLICE) };
}

/** A part of a zone, that of one site, is not the zone: it has the serial that the whole has, and changes none. */
async function serialOf(tx: Tx, { name }: Zone, text: string, part: boolean): Promise<number> {
  const digest = sha256Hex(text);
  const held = await tx.one<{ serial: number; digest: string }>(
    `SELECT serial, digest FROM zone_serial WHERE zone = ? ${part ? '' : 'FOR UPDATE'}`,
    [name],
  );
  const day = (await tx.now()).sql.slice(0, 10);
  if (held && (part || held.digest === digest)) return Number(held.serial);
  const serial = nextSerial(held && Number(held.serial), day);
  if (!part)
    await tx.execute('REPLACE INTO zone_serial (zone, serial, digest) VALUES (?, ?, ?)', [name, serial, digest]);
  return serial;
}

/** Devices with addresses; those without a domain are named, and have an empty one. */
async function hostsOf(tx: Tx, siteRef: string | undefined): Promise<{ hosts: Host[]; nameless: string[] }> {
  const site = siteRef === undefined ? undefined : await mustFindField(tx, 'site', siteRef, 'site');
  const rows = await tx.select<{ id: number }>(
    `SELECT id FROM device WHERE stage <> 'retired' ${site ? 'AND site_id = ?' : ''} ORDER BY id`,
    site ? [site.id] : [],
  );
  const domains = await Domains.read(tx);
  const hosts: Host[] = [];
  for (let at = 0; at < rows.length; at += SLICE) {
    const ids = rows.slice(at, at + SLICE).map((row) => Number(row.id));
    const devices = [...(await byIds(tx, 'device', ids)).values()];
    const interfaces = await find(tx, 'interface', { device_id: ids }, { order: ['sort_key'] });
    const { addresses } = await addressesOn(
      tx,
      interfaces.map((one) => one.id),
    );
    const on = grouped(addresses, (one) => one.interface);
    const parts = grouped(interfaces, (one) => one.device);
    for (const device of devices) {
      const own = parts.get(device.id) ?? [];
      // What several carry stands for none of them.
      const of = (id: number) => (on.get(id) ?? []).filter((one) => !one.shared).map((one) => one.address);
      const main = own.find((one) => one.id === device.main && of(one.id).length > 0)?.id ?? device.management;
      const shown = own.map(({ id, name }) => ({ name, addresses: of(id) })).filter((one) => one.addresses.length > 0);
      if (shown.length === 0) continue;
      const domain = await domains.of(device);
      hosts.push({ name: device.name, domain, main: main === null ? [] : of(main), interfaces: shown });
    }
  }
  return { hosts, nameless: hosts.filter((host) => host.domain === '').map((host) => host.name) };
}

/** The domain of devices: where only the layer "everywhere" says one, it is asked for once. */
class Domains {
  private readonly tx: Tx;
  private readonly common: string | undefined;

  private constructor(tx: Tx, common: string | undefined) {
    this.tx = tx;
    this.common = common;
  }

  static async read(tx: Tx): Promise<Domains> {
    const varied = await tx.one(
      `SELECT 1 FROM setting_value v JOIN setting s ON s.id = v.setting_id
       WHERE s.name = 'name.domain' AND v.layer_kind <> 'everywhere' LIMIT 1`,
    );
    const everywhere = textSetting(await everywhereSettings(tx), 'name.domain') ?? '';
    return new Domains(tx, varied ? undefined : soundDomain(everywhere));
  }

  async of(device: Stored<'device'>): Promise<string> {
    return this.common ?? soundDomain(textSetting(await settingsOf(this.tx, device), 'name.domain') ?? '');
  }
}

function soundDomain(text: string): string {
  const read = parseDomain(text);
  return read.ok ? read.value : '';
}
