/** Of which devices, and since when, something seen is asked for; and how the records call what a device names. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { selected } from './selection.ts';

/** To be put behind other conditions on rows `s` of devices `d`. */
export async function ofDevices(
  tx: Tx,
  { where, seen }: { where?: string | undefined; seen?: number | undefined },
): Promise<{ sql: string; values: unknown[] }> {
  const values: unknown[] = [];
  let sql = '';
  if (where !== undefined) {
    const { devices } = await selected(tx, { where });
    sql += ' AND s.device_id IN (?)';
    values.push(devices.map(({ id }) => id));
  }
  if (seen !== undefined) {
    sql += ' AND s.at > ? - INTERVAL ? SECOND';
    values.push(await tx.now(), Math.round(seen * 3600));
  }
  return { sql, values };
}

/** The dialects of devices, their own or those of their models, by the ids of the devices. */
export async function dialectsOfDevices(tx: Tx, ids: readonly number[]): Promise<Map<number, Dialect>> {
  if (ids.length === 0) return new Map();
  const rows = await tx.select<{ id: number; dialect_id: number | null }>(
    'SELECT d.id, COALESCE(d.dialect_id, m.dialect_id) AS dialect_id FROM device d LEFT JOIN model m ON m.id = d.model_id WHERE d.id IN (?)',
    [[...new Set(ids)]],
  );
  const records = await byIds(tx, 'dialect', rows, 'dialect_id');
  const out = new Map<number, Dialect>();
  for (const { id, dialect_id: of } of rows) {
    const record = of === null ? undefined : records.get(Number(of));
    const dialect = record && tx.dialects.of(record.key, record.sheet);
    if (dialect) out.set(Number(id), dialect);
  }
  return out;
}

/**
 * How the records call interfaces that devices name so: as they are where the records have such an interface, else by the
 * dialect; undefined where that does not lead there.
 */
export async function recordsNamesOf(
  tx: Tx,
  said: readonly { device: number; name: string }[],
): Promise<(device: number, name: string) => string | undefined> {
  const ids = [...new Set(said.map(({ device }) => device))];
  const dialects = await dialectsOfDevices(tx, ids);
  const names = [...new Set(said.map(({ name }) => name))];
  const rows =
    ids.length === 0
      ? []
      : await tx.select<{ device_id: number; name: string }>(
          'SELECT device_id, name FROM interface WHERE device_id IN (?) AND name IN (?)',
          [ids, names],
        );
  const known = new Map(rows.map((row) => [`${row.device_id} ${row.name.toLowerCase()}`, row.name]));
  return (device, name) => known.get(`${device} ${name.toLowerCase()}`) ?? dialects.get(device)?.recordsName(name);
}
