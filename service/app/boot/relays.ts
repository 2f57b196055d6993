/** Who speaks for a relay: anybody may send a packet that says so, and take a device's lease away by it. */
import { type Stored } from '@zpine/contract/kinds';
import { byIds, byKeys, find } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';

const listed = (link: Stored<'prefix'>): string[] => link.relays?.split(', ') ?? [];

/** Relays count as declared when they are the gateway of the prefix, on an interface of the records, or listed with it. */
export async function isDeclaredRelay(tx: Tx, link: Stored<'prefix'>, relay: string): Promise<boolean> {
  if (link.gateway === relay || listed(link).includes(relay)) return true;
  const [address] = await find(tx, 'address', { natural_key: relay });
  return address !== undefined && address.interface !== null;
}

interface Said {
  link: Stored<'prefix'>;
  relay: string;
  source: string;
}

/** A packet is from a relay when it comes from its address, from another of the same device, or from one that is listed. */
export async function speaksFor(tx: Tx, link: Stored<'prefix'>, relay: string, source: string): Promise<boolean> {
  if (isOwn({ link, relay, source })) return true;
  return (await believed(tx, [{ link, relay, source }]))({ link, relay, source });
}

const isOwn = ({ link, relay, source }: Said): boolean => source === relay || listed(link).includes(source);

/** Which of many packets are from the relays that they name; the addresses behind them are looked up together. */
async function believed(tx: Tx, packets: readonly Said[]): Promise<(packet: Said) => boolean> {
  const wanted = new Set(packets.flatMap(({ relay, source }) => [relay, source]));
  const addresses = await byKeys(tx, 'address', [...wanted]);
  const interfaces = await byIds(tx, 'interface', addresses.values(), 'interface');
  const deviceAt = (address: string) => interfaces.get(addresses.get(address)?.interface ?? 0)?.device;
  return (packet) => {
    if (isOwn(packet)) return true;
    const device = deviceAt(packet.relay);
    return device !== undefined && device === deviceAt(packet.source);
  };
}

/** Written down so often at most. */
const AGAIN_SECONDS = 10;

export async function saveRefusedRelay(tx: Tx, link: Stored<'prefix'>, relay: string, source: string): Promise<void> {
  const now = await tx.now();
  const touched = await tx.one(
    'SELECT relay FROM relay_refused WHERE relay = ? AND source = ? AND last_at > ? - INTERVAL ? SECOND',
    [relay, source, now, AGAIN_SECONDS],
  );
  if (touched) return;
  await tx.execute(
    `INSERT INTO relay_refused (relay, source, prefix_id, first_at, last_at) VALUES (?, ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE last_at = VALUES(last_at), prefix_id = VALUES(prefix_id)`,
    [relay, source, link.id, now, now],
  );
}

export interface RefusedRelay {
  prefix: string;
  prefixId: number;
  detail: string;
  remedy: string;
  since: string;
}

const MOST = 50;

/** Of the last day, as far as it would be refused still. */
export async function refusedRelays(tx: Tx, prefixes?: readonly number[]): Promise<RefusedRelay[]> {
  if (prefixes?.length === 0) return [];
  const rows = await tx.select<{ relay: string; source: string; prefix_id: number; first_at: Date }>(
    `SELECT relay, source, prefix_id, first_at FROM relay_refused
     WHERE last_at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY ${prefixes ? 'AND prefix_id IN (?)' : ''} ORDER BY last_at DESC LIMIT ${MOST}`,
    prefixes ? [prefixes] : [],
  );
  const links = await byIds(tx, 'prefix', rows, 'prefix_id');
  const packets = rows.flatMap(({ relay, source, prefix_id, first_at }) => {
    const link = links.get(Number(prefix_id));
    return link ? [{ link, relay, source, first_at }] : [];
  });
  const isBelieved = await believed(tx, packets);
  const out: RefusedRelay[] = [];
  for (const { link, relay, source, first_at } of packets) {
    if (isBelieved({ link, relay, source })) continue;
    out.push({
      prefix: link.key,
      prefixId: link.id,
      detail: `Packets that say they are from relay ${relay} come from ${source}, which is no address of its device: they are not answered.`,
      remedy: `zpine prefix edit ${link.key} --relays '${[...listed(link), source].join(', ')}'`,
      since: first_at.toISOString(),
    });
  }
  return out;
}
