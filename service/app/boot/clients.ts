/** Which devices boot by a profile, which by another one that is more particular, and what of it they would not follow. */
import { profilesFor, type Bootable } from '@zpine/core/dhcp/profiles';
import type { ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { mustFind } from '../records/refs.ts';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { profileLints } from './lints.ts';
import { bootProfiles } from './profiles.ts';

/** Devices that are named; all are counted. */
const NAMED = 20;

interface Group {
  dialect: number | null;
  model: number | null;
  duty: number | null;
  count: number;
}

export async function profileClients(tx: Tx, ref: string): Promise<ReplyOf<'bootprofile.clients'>> {
  const record: Stored<'bootprofile'> = await mustFind(tx, 'bootprofile', ref);
  const profiles = await bootProfiles(tx);
  const rows = await tx.select<Group>(
    `SELECT COALESCE(d.dialect_id, m.dialect_id) AS dialect, d.model_id AS model, d.duty_id AS duty, COUNT(*) AS count
     FROM device d LEFT JOIN model m ON m.id = d.model_id WHERE d.provisioned = 1
       AND (? IS NULL OR d.model_id = ?) AND (? IS NULL OR d.duty_id = ?) AND (? IS NULL OR COALESCE(d.dialect_id, m.dialect_id) = ?)
     GROUP BY 1, 2, 3`,
    [record.model, record.model, record.duty, record.duty, record.dialect, record.dialect],
  );
  const out: ReplyOf<'bootprofile.clients'> = { count: 0, devices: [], instead: [], lints: [] };
  const others = new Map<string, number>();
  for (const row of rows) {
    const of: Bootable = { dialect: idOf(row.dialect), model: idOf(row.model), duty: idOf(row.duty) };
    // Which class a client says shows when it boots: here all of this profile's are taken for said.
    const own = profiles.find(({ id }) => id === record.id)?.classes ?? [];
    const [best] = profilesFor(profiles, of, own);
    if (best && best.id !== record.id) others.set(best.title, (others.get(best.title) ?? 0) + Number(row.count));
    else {
      out.count += Number(row.count);
      if (out.devices.length < NAMED) out.devices.push(...(await named(tx, of, NAMED - out.devices.length)));
    }
  }
  out.instead = [...others].map(([profile, count]) => ({ profile, count }));
  out.lints = await profileLints(tx, record);
  return out;
}

const idOf = (id: number | null): number | null => (id === null ? null : Number(id));

async function named(tx: Tx, { dialect, model, duty }: Bootable, most: number): Promise<string[]> {
  const rows = await tx.select<{ id: number }>(
    `SELECT d.id FROM device d LEFT JOIN model m ON m.id = d.model_id WHERE d.provisioned = 1
       AND d.model_id <=> ? AND d.duty_id <=> ? AND COALESCE(d.dialect_id, m.dialect_id) <=> ? ORDER BY d.sort_key LIMIT ${most}`,
    [model, duty, dialect],
  );
  const devices = await byIds(
    tx,
    'device',
    rows.map(({ id }) => Number(id)),
  );
  return rows.flatMap(({ id }) => devices.get(Number(id))?.key ?? []);
}
