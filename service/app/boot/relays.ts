/** Who speaks for a relay: anybody may send a packet that says so, and take a device's lease away by it. */
import { type Stored } from '@zpine/contract/kinds';
import { byIds, find } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';

const listed = (link: Stored<'prefix'>): string[] => link.relays?.split(', ') ?? [];

/** Relays count as declared when they are the gateway of the prefix, on an interface of the records, or listed with it. */
export async function isDeclaredRelay(tx: Tx, link: Stored<'prefix'>, relay: string): Promise<boolean> {
  if (link.gateway === relay || listed(link).includes(relay)) return true;
  const [address] = await find(tx, 'address', { natural_key: relay });
  return address !== undefined && address.interface !== null;
}

/** A packet is from a relay when it comes from its address, from another of the same device, or from one that is listed. */
export async function speaksFor(tx: Tx, link: Stored<'prefix'>, relay: string, source: string): Promise<boolean> {
  if (source === relay || listed(link).includes(source)) return true;
  const [its, theirs] = [
    (await find(tx, 'address', { natural_key: relay }))[0],
    (await find(tx, 'address', { natural_key: source }))[0],
  ];
  const on = [its?.interface, theirs?.interface];
  if (on.some((id) => id === null || id === undefined)) return false;
  const interfaces = await find(tx, 'interface', { id: on as number[] });
  return new Set(interfaces.map((one) => one.device)).size === 1 && interfaces.length > 0;
}

/** Written down so often at most. */
const AGAIN_SECONDS = 10;

export async function noteRefusedRelay(tx: Tx, link: Stored<'prefix'>, relay: string, source: string): Promise<void> {
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
  detail: string;
  remedy: string;
  since: string;
}

const MOST = 50;

/** Of the last day, as far as it would be refused still. */
export async function refusedRelays(tx: Tx, prefix?: number): Promise<RefusedRelay[]> {
  const rows = await tx.select<{ relay: string; source: string; prefix_id: number; first_at: Date }>(
    `SELECT relay, source, prefix_id, first_at FROM relay_refused
     WHERE last_at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY ${prefix === undefined ? '' : 'AND prefix_id = ?'} ORDER BY last_at DESC LIMIT ${MOST}`,
    prefix === undefined ? [] : [prefix],
  );
  const links = await byIds(tx, 'prefix', [...new Set(rows.map((row) => Number(row.prefix_id)))]);
  const out: RefusedRelay[] = [];
  for (const { relay, source, prefix_id, first_at } of rows) {
    const link = links.get(Number(prefix_id));
    if (!link || (await speaksFor(tx, link, relay, source))) continue;
    out.push({
      prefix: link.key,
      detail: `Packets that say they are from relay ${relay} come from ${source}, which is no address of its device: they are not answered.`,
      remedy: `zpine prefix edit ${link.key} --relays '${[...listed(link), source].join(', ')}'`,
      since: first_at.toISOString(),
    });
  }
  return out;
}
