/** Devices that lack something, or are called otherwise than their pattern says. */
import { fitsRow, rowOf } from '@zpine/core/naming/patterns';
import type { SettingValue } from '@zpine/core/settings/layers';
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, fromRow, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { countLacking, lacksOf, OURS, type Lack } from '../devices/lacks.ts';
import { targetsOf } from '../fleet/targets.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { Found, type Finding, type Look } from './matter.ts';
import { columnsFor } from '../../store/models.ts';

/** Devices of one batch: no report holds an estate in memory. */
const BATCH = 2000;

/** All devices of ours, batch by batch. */
async function* batches(tx: Tx, more = ''): AsyncGenerator<Stored<'device'>[]> {
  for (let after = 0; ;) {
    const rows = await tx.select<Row>(
      `SELECT ${columnsFor('device', 'd')} FROM device d WHERE ${OURS} ${more} AND d.id > ? ORDER BY d.id LIMIT ${BATCH}`,
      [after],
    );
    if (rows.length === 0) return;
    yield rows.map((row) => fromRow('device', row));
    after = Number(rows.at(-1)?.id);
  }
}

/** Devices without a dialect, and those whose dialect has no sheet. */
export const withoutDialect: Look = async (tx, { limit }) => {
  const without = await lacksOf(tx, ['no-dialect'], { limit });
  const rows: Finding[] = without.map(findingOf);
  const unknown = (await allOf(tx, 'dialect')).filter((one) => tx.dialects.of(one.key, one.sheet) === undefined);
  let count = 0;
  for (const dialect of unknown) {
    const found = await tx.select<{ natural_key: string }>(
      `SELECT d.natural_key FROM device d LEFT JOIN model m ON m.id = d.model_id WHERE ${OURS} AND COALESCE(d.dialect_id, m.dialect_id) = ? ORDER BY d.sort_key`,
      [dialect.id],
    );
    count += found.length;
    for (const { natural_key: key } of found.slice(0, Math.max(0, limit - rows.length)))
      rows.push({
        kind: 'device',
        key,
        detail: `nothing is known of its dialect ${dialect.key}: it has no sheet, and none ships under this name`,
        remedy: `zpine dialect put ${dialect.key} FILE`,
        since: null,
      });
  }
  return { rows, count: async () => count + (await countLacking(tx, 'no-dialect')) };
};

export const findingOf = ({ device, detail, remedy, since, assignable }: Lack): Finding => ({
  kind: 'device',
  key: device,
  detail,
  remedy,
  since,
  assignable,
});

/** Devices in use whose access set has neither password nor key. */
export const withoutCredentials: Look = async (tx, { limit }) => {
  const found = new Found(limit);
  for await (const devices of batches(tx, "AND d.stage <> 'sketched'"))
    for (const { key, access } of (await targetsOf(tx, devices)).values()) {
      if (access.password !== undefined || access.key !== undefined) continue;
      const user = access.user;
      found.add(() => ({
        kind: 'device',
        key,
        detail: `its layers give neither password nor key for ${user}`,
        remedy: `zpine setting set users ${user}=PASSWORD --on device:${key}`,
      }));
    }
  return found.looked;
};

/** Names that the pattern of their layers would not give. */
export const namesOffPattern: Look = async (tx, { limit }) => {
  const found = new Found(limit);
  const planned = await tx.one(
    "SELECT 1 AS one FROM setting_value v JOIN setting s ON s.id = v.setting_id WHERE s.name = 'naming.pattern' LIMIT 1",
  );
  if (!planned) return found.looked;
  for await (const devices of batches(tx, "AND d.stage <> 'unproved'")) {
    const pattern = await settingsOfMany(tx, devices, ['naming.pattern']);
    const parts = await partsOf(tx, devices);
    for (const device of devices) {
      const said: SettingValue = pattern.value(device, 'naming.pattern');
      if (typeof said !== 'string' || device.duty === null) continue;
      const row = rowOf(said, parts(device));
      if (!row.ok || fitsRow(row.value, device.name)) continue;
      found.add(() => ({
        kind: 'device',
        key: device.key,
        detail: `by the pattern ${said} it would be called ${row.value.before}N${row.value.behind}`,
        remedy: `zpine device edit ${device.key} --name ${row.value.before}N${row.value.behind}`,
      }));
    }
  }
  return found.looked;
};

/** What a pattern may be made of, for each device of a batch. */
async function partsOf(tx: Tx, devices: Stored<'device'>[]) {
  const some = (field: 'site' | 'rack' | 'duty' | 'model') => [
    ...new Set(devices.map((d) => d[field]).filter((id) => id !== null)),
  ];
  const [sites, racks, duties, models] = [
    await keysOf(tx, 'site', some('site')),
    await keysOf(tx, 'rack', some('rack')),
    await keysOf(tx, 'duty', some('duty')),
    await keysOf(tx, 'model', some('model')),
  ];
  const last = (key: string | undefined) => key?.split('/').at(-1) ?? null;
  return (device: Stored<'device'>) => {
    const rack = racks.get(device.rack ?? 0)?.split('/');
    return {
      site: sites.get(device.site ?? 0) ?? null,
      room: rack?.[1] ?? null,
      rack: rack?.[2] ?? null,
      duty: duties.get(device.duty ?? 0) ?? null,
      model: last(models.get(device.model ?? 0)),
    };
  };
}
