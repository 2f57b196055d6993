/** What devices said is taken into the records, or corrects them: only what was read, and nothing that somebody typed. */
import { formatIp, parseIp, type Family } from '@zpine/core/addressing/ip';
import { Refusal } from '@zpine/contract/errors';
import type { LiveLink } from '@zpine/contract/liveRoutes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byKeys, find, keysOf } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { sitesOf } from '../devices/inForce.ts';
import { add } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { findRefs, unknownRef } from '../records/refs.ts';
import { dialectsOfDevices, ofDevices, recordsNamesOf } from './liveDevices.ts';

export async function takeAddresses(tx: Tx, body: BodyOf<'live.take'>): Promise<ReplyOf<'live.take'>> {
  const done: string[] = [];
  for (const [i, wanted] of body.addresses.entries()) {
    const path = ['addresses', i];
    const device = await deviceAt(tx, wanted.device, [...path, 'device']);
    const [host = ''] = wanted.address.split('/');
    const ip = parseIp(host);
    if (!ip.ok) throw Refusal.at([...path, 'address'], ip.fault.code, ip.fault.params);
    const bytes = bytesOf(ip.value.family, ip.value.value);
    const seen = await tx.one(
      'SELECT 1 AS one FROM seen_address WHERE device_id = ? AND interface = ? AND address = ? AND address_family = ?',
      [device.id, wanted.interface, bytes, ip.value.family],
    );
    if (!seen)
      throw Refusal.at(path, 'live-not-seen', {
        device: device.key,
        interface: wanted.interface,
        question: 'interfaces',
      });
    const on = await interfaceFor(tx, device, wanted.interface, path);
    done.push(await addressOn(tx, formatIp(ip.value), bytes, ip.value.family, on));
  }
  return { done };
}

async function deviceAt(tx: Tx, ref: string, path: (string | number)[]): Promise<Stored<'device'>> {
  const found = (await findRefs(tx, 'device', [ref])).get(ref);
  if (!found) throw Refusal.at(path, 'not-found', await unknownRef(tx, 'device', ref));
  return found;
}

async function addressOn(tx: Tx, address: string, bytes: Buffer, family: Family, on: string): Promise<string> {
  // The same address may be there in another VRF, and is another one.
  const vrf = (await byKeys(tx, 'interface', [on])).get(on)?.vrf ?? null;
  const standing = await tx.select<{ id: number }>(
    'SELECT id FROM address WHERE vrf_id = ? AND address_family = ? AND address = ? AND shared = 0',
    [vrf, family, bytes],
  );
  const [only] = standing;
  if (only && standing.length === 1) {
    await editOne(tx, 'address', `#${only.id}`, { interface: on });
    return `address ${address} is on ${on} now`;
  }
  const within = vrf === null ? undefined : (await keysOf(tx, 'vrf', [vrf])).get(vrf);
  await add(tx, 'address', [{ address, interface: on, ...(within === undefined ? {} : { vrf: within }) }]);
  return `address ${address} is on ${on}`;
}

/** The interface of the records; one that they lack is added, where its name says what it is. */
async function interfaceFor(
  tx: Tx,
  device: Stored<'device'>,
  said: string,
  path: (string | number)[],
): Promise<string> {
  const dialect = (await dialectsOfDevices(tx, [device.id])).get(device.id);
  const own = await find(tx, 'interface', { device_id: device.id });
  const known = own.find(({ name }) => name === said || dialect?.interfaceName(name) === said);
  if (known) return known.key;
  const name = dialect?.recordsName(said);
  if (name === undefined) throw Refusal.at(path, 'live-unnamed', { device: device.key, interface: said });
  const isPort = (await byKeys(tx, 'port', [`${device.key}:${name}`])).size > 0;
  const vlan = await vlanNamed(tx, device, name);
  const form = isPort ? 'port' : vlan ? 'vlan' : /^(lo|self)/.test(name) ? 'loopback' : 'routed';
  const [made] = await add(tx, 'interface', [{ device: device.key, name, form, ...(vlan ? { vlan: vlan.key } : {}) }]);
  if (!made) throw new Error('nothing was added');
  return `${device.key}:${name}`;
}

/** The VLAN of its site that an interface is named after; of devices without a site, one that there is once. */
async function vlanNamed(tx: Tx, device: Stored<'device'>, name: string): Promise<Stored<'vlan'> | undefined> {
  const number = /^vlan(\d+)$/.exec(name)?.[1];
  if (number === undefined) return undefined;
  const all = await find(tx, 'vlan', { number: Number(number) });
  const site = (await sitesOf(tx, [device])).get(device.id);
  return all.find((vlan) => vlan.site === site) ?? (site === undefined && all.length === 1 ? all[0] : undefined);
}

interface HeardRow {
  device_id: number;
  device_key: string;
  interface: string;
  neighbour: string;
  port: string;
  at: Date;
}

const MOST = 2000;

interface Link extends LiveLink {
  /** Ports of the records at both ends, where they have them. */
  from: string | undefined;
  to: string | undefined;
  /** The cable that is plugged into the port. */
  cable: Stored<'cable'> | undefined;
}

/** Who is heard where, and the cable that the records have there. */
async function links(tx: Tx, condition: { sql: string; values: unknown[] }): Promise<Link[]> {
  const rows = await tx.select<HeardRow>(
    `SELECT d.id AS device_id, d.natural_key AS device_key, s.interface, s.neighbour, s.port, s.at
     FROM seen_neighbour s JOIN device d ON d.id = s.device_id WHERE 1 = 1${condition.sql} ORDER BY d.sort_key, s.interface LIMIT ${MOST}`,
    condition.values,
  );
  if (rows.length === 0) return [];
  // Devices call themselves by their name, or by that and a domain.
  const nameOf = ({ neighbour }: HeardRow): string => neighbour.toLowerCase().split('.')[0] ?? '';
  const others = await byKeys(tx, 'device', [...new Set(rows.map(nameOf))]);
  const names = await recordsNamesOf(
    tx,
    rows.flatMap((row) => {
      const other = others.get(nameOf(row));
      const here = { device: Number(row.device_id), name: row.interface };
      return other ? [here, { device: other.id, name: row.port }] : [here];
    }),
  );
  const ends = rows.map((row) => {
    const here = names(Number(row.device_id), row.interface) ?? row.interface;
    const other = others.get(nameOf(row));
    const there = other && (names(other.id, row.port) ?? row.port);
    return { row, from: `${row.device_key}:${here}`, to: other && `${other.key}:${there ?? ''}` };
  });
  const ports = await byKeys(tx, 'port', [...new Set(ends.flatMap(({ from, to }) => (to ? [from, to] : [from])))]);
  const portIds = [...ports.values()].map(({ id }) => id);
  const cables = portIds.length === 0 ? [] : await find(tx, 'cable', { from_id: portIds });
  const behind = portIds.length === 0 ? [] : await find(tx, 'cable', { to_id: portIds });
  const far = await keysOf(
    tx,
    'port',
    [...cables.map(({ to }) => to), ...behind.map(({ from }) => from)].filter((id) => id !== null),
  );
  return ends.map(({ row, from, to }): Link => {
    const port = ports.get(from);
    const out = port && cables.find((cable) => cable.from === port.id);
    const back = port && behind.find((cable) => cable.to === port.id);
    const cable = out ?? back;
    const otherId = out ? out.to : (back?.from ?? null);
    const recorded = cable ? ((otherId === null ? undefined : far.get(otherId)) ?? out?.farEnd ?? null) : null;
    const agrees = to !== undefined && recorded === to;
    const known = port !== undefined && to !== undefined && ports.has(to);
    return {
      device: row.device_key,
      interface: row.interface,
      neighbour: row.neighbour,
      port: row.port,
      seenAt: row.at.toISOString(),
      recorded,
      agrees,
      take:
        agrees || !known ? null : recorded === null ? `${from} to ${to}` : `${from} to ${to}, instead of ${recorded}`,
      from: port ? from : undefined,
      to: to !== undefined && ports.has(to) ? to : undefined,
      cable,
    };
  });
}

export async function liveLinks(tx: Tx, query: QueryOf<'live.links'>): Promise<ReplyOf<'live.links'>> {
  const found = await links(tx, await ofDevices(tx, query));
  return { items: found.map(({ from: _from, to: _to, cable: _cable, ...link }) => link) };
}

export async function takeLinks(tx: Tx, body: BodyOf<'live.takeLinks'>): Promise<ReplyOf<'live.takeLinks'>> {
  const done: string[] = [];
  for (const [i, wanted] of body.links.entries()) {
    const path = ['links', i];
    const device = await deviceAt(tx, wanted.device, [...path, 'device']);
    const [link] = await links(tx, {
      sql: ' AND s.device_id = ? AND s.interface = ?',
      values: [device.id, wanted.interface],
    });
    if (!link)
      throw Refusal.at(path, 'live-not-seen', {
        device: device.key,
        interface: wanted.interface,
        question: 'neighbours',
      });
    if (link.agrees) continue;
    const { from, to, cable } = link;
    if (from === undefined || to === undefined)
      throw Refusal.at(path, 'live-unnamed', {
        device: from === undefined ? device.key : link.neighbour,
        interface: from === undefined ? wanted.interface : link.port,
      });
    if (cable) await editOne(tx, 'cable', `#${cable.id}`, { from, to, farEnd: null });
    else await add(tx, 'cable', [{ from, to }]);
    done.push(`a cable leads from ${from} to ${to}${cable ? `, instead of ${link.recorded ?? 'nowhere'}` : ''}`);
  }
  return { done };
}
