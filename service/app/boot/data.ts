/** What a DHCP server that stands beside this one is fed with: the same decision as for a packet, written down as a list. */
import { decide } from '@zpine/core/dhcp/decide';
import { hexOf } from '@zpine/core/dhcp/hex';
import { ipv4Of } from '@zpine/core/dhcp/ipv4';
import type { Link } from '@zpine/core/dhcp/link';
import type { BootMemory } from '@zpine/core/dhcp/memory';
import { encodeOption, optionName, showOption } from '@zpine/core/dhcp/options';
import { usualClass } from '@zpine/core/dhcp/profiles';
import { toldInPrefix } from '@zpine/core/dhcp/tell';
import type { Told } from '@zpine/core/dhcp/reply';
import type { DhcpOption, DhcpPool, Reservation } from '@zpine/contract/dhcpDataRoutes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { grouped } from '@zpine/core/lists/grouped';
import { allOf, byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { selected } from '../fleet/selection.ts';
import { discoverOf, usualRelay } from './explain.ts';
import { bootSettings, linksOf } from './facts.ts';
import { memoryForDevices } from './gather.ts';

/** So many devices are looked at at a time. */
const SLICE = 500;

type Data = ReplyOf<'dhcp.data'>;

export async function dhcpData(tx: Tx, { part, where }: QueryOf<'dhcp.data'>): Promise<Data> {
  const out: Data = { reservations: [], pools: [], options: [] };
  const devices =
    where === undefined
      ? part === 'pools'
        ? []
        : await find(tx, 'device', {}, { order: ['sort_key'] })
      : (await selected(tx, { where })).devices;
  const booting = devices.filter(({ stage, management }) => stage !== 'retired' && management !== null);
  const prefixes = new Set<number>();
  const told = new Map<string, Map<number, string>>();
  for (let at = 0; at < booting.length; at += SLICE)
    for (const one of await toldTo(tx, booting.slice(at, at + SLICE))) {
      prefixes.add(one.link.id);
      if (part === 'reservations') out.reservations.push(reservationOf(one));
      if (part !== 'options') continue;
      const options = optionsOf('device', one.device.key, one.told);
      const shared = told.get(one.link.key) ?? (await inPrefix(tx, one.link, one.memory, out.options));
      told.set(one.link.key, shared);
      out.options.push(...options.filter(({ code, bytes }) => shared.get(code) !== bytes));
    }
  if (part === 'pools') out.pools = await poolsOf(tx, where === undefined ? undefined : prefixes);
  return out;
}

type Held = {
  device: Stored<'device'>;
  box: Stored<'box'>;
  link: Link;
  told: Told;
  memory: BootMemory;
};

/** What each would be told where it boots, whoever answers there. */
async function toldTo(tx: Tx, devices: readonly Stored<'device'>[]): Promise<Held[]> {
  const boxes = new Map(
    (await find(tx, 'box', { device_id: devices.map(({ id }) => id) })).map((box) => [box.device ?? 0, box]),
  );
  const management = devices.flatMap((one) => one.management ?? []);
  const addresses = grouped(
    await find(tx, 'address', { interface_id: management }, { order: ['sort_key'] }),
    (one) => one.interface,
  );
  const prefixes = await byIds(
    tx,
    'prefix',
    [...addresses.values()].flat().map((one) => one.prefix),
  );
  const relays = new Map(
    devices.flatMap((device) => {
      const relay = usualRelay(device, addresses.get(device.management) ?? [], (id) => prefixes.get(id));
      return relay === null ? [] : [[device.id, relay] as const];
    }),
  );
  const memory = await memoryForDevices(tx, devices, [...new Set(relays.values())]);
  // The other server answers there, by what is said here.
  for (const link of [...memory.links.all()]) memory.links.put({ ...link, silent: false, shared: false });
  const now = tx.aboutNow().ms;
  return devices.flatMap((device): Held[] => {
    const [box, usual] = [boxes.get(device.id), relays.get(device.id)];
    if (!box || usual === undefined) return [];
    const relay = usual === memory.server ? null : usual;
    const heard = { source: relay ?? memory.server, broadcast: relay === null };
    const dialect = memory.fact(device.id)?.dialect ?? null;
    const of = { dialect, model: device.model, duty: device.duty };
    const said = usualClass(memory.profiles, of, memory.dialects.get(dialect ?? 0)?.sheet);
    const { told, offer, device: found } = decide(memory, discoverOf(box, relay, said), heard, now);
    // An address of a pool is the other server's to give.
    if (!told || !offer || found?.id !== device.id || offer.source !== 'fixed') return [];
    return [{ device, box, link: offer.link, told, memory }];
  });
}

const reservationOf = ({ device, box, link, told }: Held): Reservation => ({
  device: device.key,
  address: told.address,
  prefix: link.key,
  vrf: link.vrfName,
  mac: box.mac,
  serial: box.mac === null ? box.serial : null,
  leaseSeconds: told.leaseSeconds,
  file: told.file?.name ?? null,
  nextServer: told.file?.server ?? null,
});

function optionsOf(
  scope: DhcpOption['scope'],
  of: string,
  { options, siteTypes }: Pick<Told, 'options' | 'siteTypes'>,
): DhcpOption[] {
  return options
    .filter(({ withheld }) => !withheld)
    .flatMap(({ code, value, always }): DhcpOption[] => {
      const bytes = encodeOption(code, value, siteTypes);
      if (!bytes.ok) return [];
      const [name, shown] = [optionName(code, siteTypes), showOption(code, value, siteTypes)];
      return [{ scope, of, code, name, value: shown, bytes: hexOf(bytes.value), told: always ? 'unasked' : 'asked' }];
    })
    .sort((a, b) => a.code - b.code);
}

/** What everybody in a prefix is told alike: put on the list, and by code for whoever is told the same. */
async function inPrefix(tx: Tx, link: Link, memory: BootMemory, list: DhcpOption[]): Promise<Map<number, string>> {
  memory.put({
    id: -link.id,
    key: link.key,
    boxes: [],
    macs: [],
    addresses: [],
    layers: await layersOf(tx, link),
    dialect: null,
    edition: null,
    window: null,
  });
  memory.setSettings(await bootSettings(tx));
  const options = optionsOf('prefix', link.key, toldInPrefix(memory, { id: -link.id }, link));
  list.push(...options);
  return new Map(options.map(({ code, bytes }) => [code, bytes]));
}

async function layersOf(tx: Tx, { site: id }: Link) {
  const site = id === null ? undefined : (await byIds(tx, 'site', [id])).get(id);
  const areas = await allOf(tx, 'area');
  const above: { kind: 'area'; id: number; key: string }[] = [];
  for (let area = site?.area ?? null; area !== null && !above.some((one) => one.id === area);) {
    const found = areas.find((one) => one.id === area);
    above.unshift({ kind: 'area', id: area, key: found?.key ?? '' });
    area = found?.parent ?? null;
  }
  return [
    { kind: 'everywhere' as const, id: 0, key: '' },
    ...above,
    ...(site ? [{ kind: 'site' as const, id: site.id, key: site.key }] : []),
  ];
}

async function poolsOf(tx: Tx, among: ReadonlySet<number> | undefined): Promise<DhcpPool[]> {
  const links = (await linksOf(tx)).filter(({ id }) => !among || among.has(id));
  links.sort((a, b) => (a.vrfName < b.vrfName ? -1 : a.vrfName > b.vrfName ? 1 : a.first - b.first));
  return links.flatMap((link) =>
    (['pool', 'quarantine'] as const).flatMap((pool) =>
      link[pool].map(({ first, last }) => ({
        prefix: link.key,
        vrf: link.vrfName,
        mask: link.mask,
        gateway: link.gateway,
        pool,
        first: ipv4Of(first),
        last: ipv4Of(last),
        leaseSeconds: link.leaseSeconds,
      })),
    ),
  );
}
