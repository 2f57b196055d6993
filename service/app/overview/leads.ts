/**
 * Where to look first. In a large estate the list of today is not made by looking at every record: it begins from those
 * that lacked something when all were last looked at, and from devices that changed since. Each is looked at again, so
 * that what was mended is gone at once; what came to lack something by a change elsewhere shows at the next look at all.
 */
import { type Tx } from '../../store/tx.ts';
import { runningOut } from '../addressing/samples.ts';
import { lackingIds } from '../devices/lacks.ts';
import { AHEAD_DAYS, deviceLacks, lackCodes, type LackCode, type Leads } from './lacking.ts';

/** An estate of more devices is large. */
const LARGE = 20_000;
const MOST_LEADS = 500;
const MOST_CHANGED = 1000;

/** How leads are found: ids of what may be concerned. Whether it is, the list itself decides. */
const looks: Record<Exclude<LackCode, 'runs-out'>, string> = {
  ...(Object.fromEntries(deviceLacks.map((code) => [code, lackingIds(code)])) as Record<
    (typeof deviceLacks)[number],
    string
  >),
  'no-management-prefix': `SELECT s.id FROM site s WHERE NOT EXISTS (SELECT 1 FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1
    JOIN prefix p ON p.vlan_id = v.id WHERE v.site_id = s.id)`,
  'nearly-full': `SELECT p.id FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed'
    WHERE f.free * 5 < (SELECT COUNT(*) FROM address a WHERE a.prefix_id = p.id)`,
};

export const isLarge = async (tx: Tx): Promise<boolean> =>
  (await tx.one(`SELECT id FROM device ORDER BY id LIMIT 1 OFFSET ${LARGE}`)) !== undefined;

/** Looks at all records; done beside the rest, now and then. */
export async function findLeads(tx: Tx): Promise<Partial<Record<LackCode, number[]>>> {
  if (!(await isLarge(tx))) return {};
  const out: Partial<Record<LackCode, number[]>> = {};
  for (const code of Object.keys(looks) as (keyof typeof looks)[])
    out[code] = (await tx.select<{ id: number }>(`${looks[code]} LIMIT ${MOST_LEADS}`)).map((row) => Number(row.id));
  out['runs-out'] = (await runningOut(tx, AHEAD_DAYS)).slice(0, MOST_LEADS).map(({ id }) => id);
  return out;
}

export async function keepLeads(tx: Tx, leads: Partial<Record<LackCode, number[]>>): Promise<void> {
  await tx.execute('DELETE FROM today_lead');
  const rows = Object.entries(leads).flatMap(([code, ids]) => ids.map((record_id) => ({ code, record_id })));
  if (rows.length > 0) await tx.insertRows('today_lead', rows, '');
}

/** `lookedAt`: when all were. Undefined where all can be looked at: in a small estate, and before the first look at a large one. */
export async function leadsOf(tx: Tx, lookedAt: Date | null): Promise<Leads | undefined> {
  if (lookedAt === null || !(await isLarge(tx))) return undefined;
  const leads = Object.fromEntries(lackCodes.map((code): [string, number[]] => [code, []])) as Leads;
  for (const { code, record_id } of await tx.select<{ code: LackCode; record_id: number }>('SELECT * FROM today_lead'))
    leads[code]?.push(Number(record_id));
  const changed = await tx.select<{ id: number }>(
    `SELECT id FROM device WHERE updated_at > ? - INTERVAL 1 MINUTE ORDER BY updated_at DESC LIMIT ${MOST_CHANGED}`,
    [lookedAt],
  );
  for (const { id } of changed) for (const code of deviceLacks) leads[code].push(Number(id));
  return leads;
}
