import { parseIp } from '@zpine/core/addressing/ip';
import { parseMac } from '@zpine/core/addressing/mac';
import { canonicalKey } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import { type ReplyOf } from '@zpine/contract/routes';
import { likeText } from '../records/refs.ts';
import { keyOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';

type Hit = ReplyOf<'search'>['items'][number];
const PER_KIND = 6;
const MOST = 40;

/** Records whose natural key or title begins with the text, and the holder of a MAC in any notation. */
export async function search(tx: Tx, q: string): Promise<Hit[]> {
  const hits: Hit[] = [...(await byMac(tx, q)), ...(await byAddress(tx, q))];
  for (const kind of kindNames) {
    const k = kindOf(kind);
    const key = canonicalKey(k, q);
    const titled = 'title' in k.fields;
    const rows = await tx.select<{ natural_key: string; title: string | null }>(
      `SELECT natural_key, ${titled ? 'title' : 'NULL AS title'} FROM \`${kind}\`
       WHERE natural_key LIKE ? ${titled ? 'OR title LIKE ?' : ''} ORDER BY natural_key = ? DESC, sort_key LIMIT ${PER_KIND}`,
      [`${likeText(key)}%`, ...(titled ? [`${likeText(q)}%`] : []), key],
    );
    for (const row of rows) {
      if (hits.some((hit) => hit.kind === kind && hit.key === row.natural_key)) continue;
      hits.push({
        kind,
        key: row.natural_key,
        title: row.title,
        why: row.natural_key.startsWith(key) ? 'key' : 'title',
      });
    }
  }
  const exact = canonicalKey(kindOf('device'), q);
  return hits.sort((a, b) => rank(a, exact) - rank(b, exact)).slice(0, MOST);
}

/** The whole key first, then MACs and addresses, then what people look for most. */
function rank(hit: Hit, exact: string): number {
  if (hit.key === exact) return 0;
  if (hit.why !== 'key' && hit.why !== 'title') return 1;
  const order = ['device', 'site', 'rack', 'box', 'prefix', 'address', 'vlan'];
  const place = order.indexOf(hit.kind);
  return 2 + (place < 0 ? order.length : place);
}

async function byMac(tx: Tx, q: string): Promise<Hit[]> {
  const mac = parseMac(q);
  if (!mac.ok) return [];
  const claims = await tx.select<{ kind: KindName; record_id: number }>(
    'SELECT kind, record_id FROM mac_claim WHERE mac = ?',
    [Buffer.from(mac.value.replaceAll(':', ''), 'hex')],
  );
  const hits: Hit[] = [];
  for (const claim of claims) {
    const key = await keyOf(tx, claim.kind, Number(claim.record_id));
    if (key) hits.push({ kind: claim.kind, key, title: null, why: `MAC ${mac.value}` });
  }
  return hits;
}

/** The device behind an address, beside the address itself. */
async function byAddress(tx: Tx, q: string): Promise<Hit[]> {
  const ip = parseIp(q.split('@')[0] ?? '');
  if (!ip.ok) return [];
  const rows = await tx.select<{ device: string; name: string; address: string }>(
    `SELECT d.natural_key AS device, i.name, a.natural_key AS address FROM address a JOIN interface i ON i.id = a.interface_id
     JOIN device d ON d.id = i.device_id WHERE a.natural_key = ?`,
    [canonicalKey(kindOf('address'), q)],
  );
  return rows.map((row) => ({ kind: 'device', key: row.device, title: null, why: `${row.address} on ${row.name}` }));
}
