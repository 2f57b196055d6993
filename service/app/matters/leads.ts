/**
 * Where to look first. In a large estate the list of today is not made by looking at every record: it begins from those
 * that lacked something when all were last looked at, and from devices that changed since. Each is looked at again, so
 * that what was mended is gone at once; what came to lack something by a change elsewhere shows at the next look at all.
 */
import type { MatterName } from '@zpine/contract/matters';
import type { Tx } from '../../store/tx.ts';
import { table } from './table.ts';

/** Which records could be concerned, by their ids; without it, all are looked at. */
export type Leads = Partial<Record<MatterName, number[]>>;

const led = Object.entries(table).flatMap(([name, { lack, leads }]) =>
  leads === undefined ? [] : [{ name: name as MatterName, lack, leads }],
);

/** An estate of more devices is large. */
const LARGE = 20_000;
const MOST_LEADS = 500;
const MOST_CHANGED = 1000;

export const isLarge = async (tx: Tx): Promise<boolean> =>
  (await tx.one(`SELECT id FROM device ORDER BY id LIMIT 1 OFFSET ${LARGE}`)) !== undefined;

/** Looks at all records; done beside the rest, now and then. */
export async function findLeads(tx: Tx): Promise<Leads> {
  if (!(await isLarge(tx))) return {};
  const out: Leads = {};
  for (const { name, leads } of led)
    out[name] =
      typeof leads === 'string'
        ? (await tx.select<{ id: number }>(`${leads} LIMIT ${MOST_LEADS}`)).map((row) => Number(row.id))
        : (await leads(tx)).slice(0, MOST_LEADS);
  return out;
}

export async function saveLeads(tx: Tx, leads: Leads): Promise<void> {
  await tx.execute('DELETE FROM today_lead');
  const rows = Object.entries(leads).flatMap(([code, ids]) => ids.map((record_id) => ({ code, record_id })));
  if (rows.length > 0) await tx.insertRows('today_lead', rows, '');
}

/** `lookedAt`: when all were. Undefined where all can be looked at: in a small estate, and before the first look at a large one. */
export async function leadsOf(tx: Tx, lookedAt: Date | null): Promise<Leads | undefined> {
  if (lookedAt === null || !(await isLarge(tx))) return undefined;
  const leads: Leads = Object.fromEntries(led.map(({ name }) => [name, []]));
  for (const { code, record_id } of await tx.select<{ code: MatterName; record_id: number }>(
    'SELECT code, record_id FROM today_lead',
  ))
    leads[code]?.push(Number(record_id));
  const changed = await tx.select<{ id: number }>(
    `SELECT id FROM device WHERE updated_at > ? - INTERVAL 1 MINUTE ORDER BY updated_at DESC LIMIT ${MOST_CHANGED}`,
    [lookedAt],
  );
  for (const { id } of changed) for (const { name, lack } of led) if (lack) leads[name]?.push(Number(id));
  return leads;
}
