/** What an address is, who has it and had it before; what lies in a prefix. */
import { bitsOf, formatIp, parseIp, type Ip } from '@zpine/core/addressing/ip';
import { lastOf, networkOf, parsePrefix, truncations, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { formatRange, parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import { mustParse } from '@zpine/core/fault';
import type { FoundAt } from '@zpine/contract/addressingRoutes';
import { Refusal } from '@zpine/contract/errors';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find, keyOf, keysOf, present } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { leaseOf } from '../boot/leaseList.ts';
import { farEnds } from '../cables/trace.ts';
import { mustFindField } from '../records/refs.ts';

const SHOWN = 200;

export async function lookup(tx: Tx, query: QueryOf<'address.lookup'>): Promise<ReplyOf<'address.lookup'>> {
  const text = query.q;
  const block = parsePrefix(text);
  const host = block.ok ? undefined : parseIp(text);
  if (!block.ok && !host?.ok) {
    const { code, params } = text.includes('/') ? block.fault : (host as { fault: typeof block.fault }).fault;
    throw Refusal.at(['q'], code, params);
  }
  const ip = host?.ok ? host.value : undefined;
  const p = block.ok ? block.value : networkOf(ip as Ip, bitsOf((ip as Ip).family));
  const vrfs =
    query.vrf === undefined
      ? await find(tx, 'vrf', {}, { order: ['sort_key'] })
      : [await mustFindField(tx, 'vrf', query.vrf, 'vrf')];
  const found: FoundAt[] = [];
  for (const vrf of vrfs) {
    const one = await inVrf(tx, vrf, p, ip);
    const something = one.covering.length + one.count.prefixes + one.count.addresses + one.before.length > 0;
    if (something || query.vrf !== undefined) found.push(one);
  }
  return { text, is: block.ok ? 'prefix' : 'address', found };
}

async function inVrf(tx: Tx, vrf: Stored<'vrf'>, p: Prefix, ip: Ip | undefined): Promise<FoundAt> {
  const around = await covering(tx, vrf.id, p);
  const none = { prefixes: [], addresses: [], count: { prefixes: 0, addresses: 0 } };
  const out: FoundAt = {
    vrf: vrf.key,
    covering: await shown(tx, around),
    holder: null,
    kept: null,
    lease: null,
    before: [],
    ...none,
  };
  if (ip) {
    const [address] = await find(tx, 'address', {
      vrf_id: vrf.id,
      address_family: ip.family,
      address: bytesOf(ip.family, ip.value) as unknown as string,
    });
    out.holder = address ? await holder(tx, address) : null;
    out.kept = address || !around[0] ? null : keptFor(around[0], ip);
    out.lease = ip.family === 4 ? await leaseOf(tx, vrf.id, ip.value) : null;
    out.before = await formerly(tx, vrf, ip);
    return out;
  }
  const range = [vrf.id, p.family, bytesOf(p.family, p.first), bytesOf(p.family, lastOf(p))];
  const inside = await tx.select<{ id: number }>(
    `SELECT id FROM prefix WHERE vrf_id = ? AND cidr_family = ? AND cidr BETWEEN ? AND ? AND cidr_length > ? ORDER BY sort_key`,
    [...range, p.length],
  );
  const held = await tx.select<{ id: number }>(
    'SELECT id FROM address WHERE vrf_id = ? AND address_family = ? AND address BETWEEN ? AND ? ORDER BY address',
    range,
  );
  const ids = (rows: { id: number }[]) => rows.slice(0, SHOWN).map((row) => Number(row.id));
  out.prefixes = await shown(tx, await find(tx, 'prefix', { id: ids(inside) }, { order: ['sort_key'] }));
  out.addresses = await carriers(tx, await find(tx, 'address', { id: ids(held) }, { order: ['sort_key'] }));
  out.count = { prefixes: inside.length, addresses: held.length };
  return out;
}

/** The prefixes around a block, itself among them, the smallest first. */
async function covering(tx: Tx, vrf: number, p: Prefix): Promise<Stored<'prefix'>[]> {
  const candidates = [p, ...truncations(p)];
  const marks = candidates.map(() => '(?, ?)').join(', ');
  const rows = await tx.select<{ id: number }>(
    `SELECT id FROM prefix WHERE vrf_id = ? AND cidr_family = ? AND (cidr, cidr_length) IN (${marks})`,
    [vrf, p.family, ...candidates.flatMap((c) => [bytesOf(c.family, c.first), c.length])],
  );
  return find(tx, 'prefix', { id: rows.map((row) => Number(row.id)) }, { order: ['cidr_length DESC'] });
}

async function shown(tx: Tx, prefixes: Stored<'prefix'>[]): Promise<FoundAt['covering']> {
  return (await present(tx, 'prefix', prefixes)).map((record) => {
    const text = (name: string): string | null => (typeof record[name] === 'string' ? record[name] : null);
    return {
      prefix: String(record.key),
      description: text('description'),
      site: text('site'),
      vlan: text('vlan'),
      use: text('use'),
    };
  });
}

async function carriers(tx: Tx, addresses: Stored<'address'>[]): Promise<FoundAt['addresses']> {
  const interfaces = await byIds(
    tx,
    'interface',
    addresses.flatMap((a) => a.interface ?? []),
  );
  const out: FoundAt['addresses'] = [];
  for (const address of addresses) {
    const on = interfaces.get(address.interface ?? 0);
    const device = on ? await keyOf(tx, 'device', on.device) : null;
    out.push({ address: address.key, interface: on?.key ?? null, device, description: address.description });
  }
  return out;
}

async function holder(tx: Tx, address: Stored<'address'>): Promise<FoundAt['holder']> {
  const [carrier] = await carriers(tx, [address]);
  if (!carrier) return null;
  const on =
    address.interface === null ? undefined : (await byIds(tx, 'interface', [address.interface])).get(address.interface);
  const device = on && (await byIds(tx, 'device', [on.device])).get(on.device);
  const rack = await keyOf(tx, 'rack', device?.rack ?? null);
  const place =
    rack === null
      ? await keyOf(tx, 'site', device?.site ?? null)
      : [rack, device?.positionU && `U ${device.positionU}`].filter(Boolean).join(' ');
  const port = on?.port ?? null;
  const end = port === null ? undefined : (await farEnds(tx, [port])).get(port);
  const plugged = end ? ((await keyOf(tx, 'port', end.port)) ?? end.words) : null;
  const carried = address.shared ? await find(tx, 'carrier', { address_id: address.id }, { order: ['sort_key'] }) : [];
  const names = await keysOf(
    tx,
    'interface',
    carried.map((one) => one.interface),
  );
  return { ...carrier, place, plugged, carriers: carried.flatMap((one) => names.get(one.interface) ?? []) };
}

/** What an address is kept for that nobody has. */
function keptFor(prefix: Stored<'prefix'>, ip: Ip): string | null {
  const p = mustParse(parsePrefix(prefix.cidr));
  if (prefix.gateway !== null && mustParse(parseIp(prefix.gateway)).value === ip.value)
    return `gateway of ${prefix.key}`;
  const usable = usableRange(p);
  if (ip.value < usable.first) return `network address of ${prefix.key}`;
  if (ip.value > usable.last) return `broadcast address of ${prefix.key}`;
  for (const [field, words] of [
    ['pool', 'DHCP pool'],
    ['quarantine', 'quarantine pool'],
    ['heldBack', 'held back'],
  ] as const) {
    const range =
      prefix[field] === null
        ? undefined
        : mustParse(parseRanges(prefix[field])).find((r) => spanOf(r).first <= ip.value && ip.value <= spanOf(r).last);
    if (range) return `${words} ${formatRange(range)} of ${prefix.key}`;
  }
  return null;
}

/** What history says of an address: who had it, and when that began and ended. */
async function formerly(tx: Tx, vrf: Stored<'vrf'>, ip: Ip): Promise<FoundAt['before']> {
  const key = vrf.key === 'default' ? formatIp(ip) : `${formatIp(ip)}@${vrf.key}`;
  const rows = await tx.select<{ at: Date; actor: string; before: string | null; after: string | null }>(
    `SELECT s.at, s.actor, c.before, c.after FROM \`change\` c JOIN change_set s ON s.id = c.change_set_id
     WHERE c.kind = 'address' AND c.record_key = ? ORDER BY c.change_set_id DESC LIMIT 20`,
    [key],
  );
  const out: FoundAt['before'] = [];
  for (const { at, actor, before, after } of rows) {
    const action = before === null ? 'added' : after === null ? 'removed' : 'edited';
    const image = JSON.parse(after ?? before ?? '{}') as { interface?: number | null };
    const on = image.interface ?? null;
    const name = on === null ? null : ((await keyOf(tx, 'interface', on)) ?? (await goneKey(tx, on)));
    out.push({ at: at.toISOString(), actor, action, interface: name });
  }
  return out;
}

/** The name of an interface that is not there any more. */
async function goneKey(tx: Tx, id: number): Promise<string> {
  const row = await tx.one<{ record_key: string }>(
    "SELECT record_key FROM removed WHERE kind = 'interface' AND record_id = ?",
    [id],
  );
  return row?.record_key ?? `#${id}`;
}
