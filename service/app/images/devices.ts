/** Who wants an image, and who runs it. */
import type { ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import { number, table, text, time, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { imageNamed } from './content.ts';
import { imagesWanted, placesNaming } from './wanted.ts';

const seenVersions = table('seen_version', { device_id: number, version: text, at: time });
type SeenVersion = RowOf<typeof seenVersions>;

const SHOWN = 100;
const SLICE = 500;

/** Which version devices said last that they run, by their ids. */
async function versionsSeen(tx: Tx, devices: readonly number[]): Promise<Map<number, SeenVersion>> {
  if (devices.length === 0) return new Map();
  const rows = await tx.select<SeenVersion>(`SELECT ${seenVersions.all} FROM seen_version WHERE device_id IN (?)`, [
    devices,
  ]);
  return new Map(rows.map((row) => [Number(row.device_id), row]));
}

export async function imageDevices(tx: Tx, ref: string): Promise<ReplyOf<'image.devices'>> {
  const image = await imageNamed(tx, ref);
  const named = await placesNaming(tx, image.key);
  const found: ReplyOf<'image.devices'> = { named, count: 0, running: 0, devices: [] };
  if (named.length === 0) return found;
  for await (const devices of devicesThatMay(tx, image)) {
    const wanted = await imagesWanted(tx, devices);
    const those = devices.filter(({ id }) => wanted.get(id)?.image.id === image.id);
    const seen = await versionsSeen(
      tx,
      those.map(({ id }) => id),
    );
    for (const { id, key } of those) {
      const said = seen.get(id);
      const runs = said?.version === image.release;
      found.count += 1;
      if (runs) found.running += 1;
      const at = said?.at.toISOString() ?? null;
      if (found.devices.length < SHOWN) found.devices.push({ device: key, version: said?.version ?? null, at, runs });
    }
  }
  return found;
}

/** Devices of its dialect, and of its model where it names one. */
async function* devicesThatMay(tx: Tx, image: Stored<'image'>): AsyncGenerator<Stored<'device'>[]> {
  const of =
    image.model === null ? '(d.dialect_id = ? OR (d.dialect_id IS NULL AND m.dialect_id = ?))' : 'd.model_id = ?';
  const values = image.model === null ? [image.dialect, image.dialect] : [image.model];
  for (let last = 0; ;) {
    const rows = await tx.select<{ id: number }>(
      `SELECT d.id FROM device d LEFT JOIN model m ON m.id = d.model_id WHERE d.id > ? AND ${of} ORDER BY d.id LIMIT ${SLICE}`,
      [last, ...values],
    );
    if (rows.length === 0) return;
    const ids = rows.map(({ id }) => Number(id));
    last = ids.at(-1) ?? last;
    yield [...(await byIds(tx, 'device', ids)).values()];
  }
}
