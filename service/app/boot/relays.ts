/** Packets of relays that nobody declared, and those that come from elsewhere: kept, so that somebody hears of them. */
import { listed } from '@zpine/core/dhcp/link';
import { declaring, isDeclared, speaksFor, undeclared } from '@zpine/core/dhcp/place';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { addressesAt } from './addressesAt.ts';

/** Written down so often at most. */
const AGAIN_SECONDS = 10;

/** So many of a prefix are kept. */
const MOST = 50;

export async function saveRefusedRelay(tx: Tx, link: { id: number }, relay: string, source: string): Promise<void> {
  const now = await tx.now();
  const touched = await tx.one(
    'SELECT relay FROM relay_refused WHERE relay = ? AND source = ? AND last_at > ? - INTERVAL ? SECOND',
    [relay, source, now, AGAIN_SECONDS],
  );
  if (touched) return;
  const many = await tx.one<{ count: number }>(
    'SELECT COUNT(*) AS count FROM relay_refused WHERE prefix_id = ? AND last_at > ? - INTERVAL 1 DAY',
    [link.id, now],
  );
  // Anybody may make up relays.
  if (Number(many?.count ?? 0) >= MOST) return;
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
  const at = await addressesAt(
    tx,
    packets.flatMap(({ relay, source }) => [relay, source]),
  );
  const deviceAt = (address: string, vrf: number) => at.get(address)?.get(vrf);
  const out: RefusedRelay[] = [];
  for (const { link, relay, source, first_at } of packets) {
    const relays = listed(link.relays);
    const of = { key: link.key, vrf: link.vrf, gateway: link.gateway, relays };
    const heard = { prefix: link.key, prefixId: link.id, since: first_at.toISOString() };
    if (!isDeclared({ deviceAt }, [of], relay)) {
      const detail = `Packets came from relay ${relay}, and were not answered: ${undeclared(of, relay)}.`;
      out.push({ ...heard, detail, remedy: declaring(of, relay) });
      continue;
    }
    if (speaksFor({ deviceAt }, [{ vrf: link.vrf, relays }], relay, source)) continue;
    out.push({
      ...heard,
      detail: `Packets that say they are from relay ${relay} come from ${source}, which is no address of its device: they are not answered.`,
      remedy: `zpine prefix edit ${link.key} --relays '${[...relays, source].join(', ')}'`,
    });
  }
  return out;
}
