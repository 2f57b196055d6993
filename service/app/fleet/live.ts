/** What devices said last of their addresses and of the MACs behind their ports, beside the records. */
import { formatIp, fromBytes, parseIp, type Family } from '@zpine/core/addressing/ip';
import { lastOf, networkOf, parsePrefix, type Prefix } from '@zpine/core/addressing/prefix';
import { macFromBytes, parseMac, macToBytes } from '@zpine/core/addressing/mac';
import type { LiveAddress, Relation } from '@zpine/contract/liveRoutes';
import { Refusal } from '@zpine/contract/errors';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { keysOf } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { ofDevices, recordsNamesOf } from './liveDevices.ts';

interface SeenRow {
  device_id: number;
  device_key: string;
  interface: string;
  address: Buffer;
  address_family: Family;
  length: number;
  state: string | null;
  at: Date;
}

const MOST = 2000;
const COLUMNS =
  'd.id AS device_id, d.natural_key AS device_key, s.interface, s.address, s.address_family, s.length, s.state, s.at';

function prefixIn(text: string): Prefix {
  const block = parsePrefix(text);
  if (block.ok) return block.value;
  const host = parseIp(text);
  if (!host.ok) throw Refusal.at(['prefix'], block.fault.code, block.fault.params);
  return networkOf(host.value, host.value.family === 4 ? 32 : 128);
}

export async function liveAddresses(tx: Tx, query: QueryOf<'live.addresses'>): Promise<ReplyOf<'live.addresses'>> {
  const prefix = prefixIn(query.prefix);
  const [first, last] = [bytesOf(prefix.family, prefix.first), bytesOf(prefix.family, lastOf(prefix))];
  const among = await ofDevices(tx, query);
  const seen = await tx.select<SeenRow>(
    `SELECT ${COLUMNS} FROM seen_address s JOIN device d ON d.id = s.device_id
     WHERE s.address_family = ? AND s.address BETWEEN ? AND ?${among.sql} ORDER BY s.address, d.sort_key LIMIT ${MOST}`,
    [prefix.family, first, last, ...among.values],
  );
  // A network on a device that is larger than what is asked for lies around it, wherever its own address is.
  const wider = await tx.select<SeenRow>(
    `SELECT ${COLUMNS} FROM seen_address s JOIN device d ON d.id = s.device_id
     WHERE s.address_family = ? AND s.length < ? AND NOT s.address BETWEEN ? AND ?${among.sql} LIMIT ${MOST * 10}`,
    [prefix.family, prefix.length, first, last, ...among.values],
  );
  const around = wider.filter((row) => relationOf(row, prefix) === 'around');
  const recorded = await recordedIn(tx, prefix.family, first, last);
  // Those of a wider network have their own addresses elsewhere: what the records say of these is asked for, too.
  const beyond = await recordedAt(
    tx,
    prefix.family,
    around.map((row) => row.address),
  );
  const rows = [...seen, ...around].slice(0, MOST);
  const names = await recordsNamesOf(
    tx,
    rows.map((row) => ({ device: Number(row.device_id), name: row.interface })),
  );
  const out = rows.map((row): LiveAddress => {
    const address = formatIp({ family: row.address_family, value: valueOf(row) });
    const record = recorded.get(address) ?? beyond.get(address) ?? null;
    recorded.delete(address);
    const agrees = record !== null && record.split(':')[0] === row.device_key;
    const name = names(Number(row.device_id), row.interface);
    return {
      device: row.device_key,
      interface: row.interface,
      address: `${address}/${row.length}`,
      relation: relationOf(row, prefix),
      state: row.state,
      seenAt: row.at.toISOString(),
      recorded: record,
      agrees,
      take: agrees || name === undefined ? null : takeWords(`${row.device_key}:${name}`, record),
    };
  });
  const unseen =
    query.where === undefined && query.seen === undefined
      ? [...recorded].map(([address, on]): LiveAddress => ({
          device: on.split(':')[0] ?? '',
          interface: on.split(':').slice(1).join(':'),
          address,
          relation: 'inside',
          state: null,
          seenAt: null,
          recorded: on,
          agrees: false,
          take: null,
        }))
      : [];
  const items = [...out, ...unseen.slice(0, MOST)].filter(({ relation }) => !query.how || relation === query.how);
  return { items: items.sort((a, b) => byAddress(a.address, b.address)) };
}

const takeWords = (to: string, record: string | null): string =>
  record === null ? `as ${to}` : `from ${record} to ${to}`;

function relationOf(row: Pick<SeenRow, 'address' | 'address_family' | 'length'>, prefix: Prefix): Relation {
  const network = networkOf({ family: row.address_family, value: valueOf(row) }, row.length);
  if (network.first === prefix.first && network.length === prefix.length) return 'exactly';
  if (network.length < prefix.length && network.first <= prefix.first && lastOf(network) >= prefix.first)
    return 'around';
  return 'inside';
}

const valueOf = (row: Pick<SeenRow, 'address' | 'address_family'>): bigint =>
  fromBytes(row.address, row.address_family).value;

function byAddress(a: string, b: string): number {
  const [one, other] = [a, b].map((text) => parseIp(text.split('/')[0] ?? ''));
  if (!one?.ok || !other?.ok || one.value.value === other.value.value) return 0;
  return one.value.value < other.value.value ? -1 : 1;
}

interface RecordedRow {
  interface_id: number;
  address: Buffer;
}

/** Interfaces of the records by the addresses that they have in a stretch. */
const recordedIn = async (tx: Tx, family: Family, first: Buffer, last: Buffer): Promise<Map<string, string>> =>
  holders(
    tx,
    family,
    await tx.select<RecordedRow>(
      `SELECT interface_id, address FROM address WHERE address_family = ? AND address BETWEEN ? AND ? AND interface_id IS NOT NULL LIMIT ${MOST}`,
      [family, first, last],
    ),
  );

/** The same for single addresses. */
const recordedAt = async (tx: Tx, family: Family, addresses: Buffer[]): Promise<Map<string, string>> =>
  addresses.length === 0
    ? new Map()
    : holders(
        tx,
        family,
        await tx.select<RecordedRow>(
          'SELECT interface_id, address FROM address WHERE address_family = ? AND address IN (?) AND interface_id IS NOT NULL',
          [family, addresses],
        ),
      );

async function holders(tx: Tx, family: Family, rows: RecordedRow[]): Promise<Map<string, string>> {
  const keys = await keysOf(
    tx,
    'interface',
    rows.map((row) => Number(row.interface_id)),
  );
  return new Map(
    rows.map((row) => [formatIp(fromBytes(row.address, family)), keys.get(Number(row.interface_id)) ?? '']),
  );
}

export async function liveMac(tx: Tx, query: QueryOf<'live.mac'>): Promise<ReplyOf<'live.mac'>> {
  const whole = parseMac(query.mac);
  const digits = query.mac.replace(/[^0-9a-f]/gi, '').toLowerCase();
  if (!whole.ok && (digits.length < 4 || digits.length > 12)) throw Refusal.at(['mac'], 'mac-short', {});
  const [test, value] = whole.ok
    ? ['s.mac = ?', Buffer.from(macToBytes(whole.value))]
    : ['LOWER(HEX(s.mac)) LIKE ?', `%${digits}%`];
  const rows = await tx.select<{
    device_key: string;
    interface: string;
    vlan: string;
    mac: Buffer;
    at: Date;
    on_port: number;
  }>(
    `SELECT d.natural_key AS device_key, s.interface, s.vlan, s.mac, s.at,
            (SELECT COUNT(DISTINCT o.mac) FROM seen_mac o WHERE o.device_id = s.device_id AND o.interface = s.interface) AS on_port
     FROM seen_mac s JOIN device d ON d.id = s.device_id WHERE ${test} ORDER BY on_port, s.at DESC LIMIT 200`,
    [value],
  );
  return {
    items: rows.map((row) => ({
      device: row.device_key,
      interface: row.interface,
      vlan: row.vlan === '' ? null : row.vlan,
      mac: macFromBytes(row.mac),
      seenAt: row.at.toISOString(),
      macsOnPort: Number(row.on_port),
    })),
  };
}
