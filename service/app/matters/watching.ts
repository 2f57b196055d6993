/** What the watch had to tell, and captures that were due for long. */
import { byIds } from '../../store/records.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { whole, type Finding, type Look } from './matter.ts';

/** What the watch had to tell of the last day; the newest of each thing. */
export const notices: Look = async (tx, { limit }) => {
  const rows = await tx.select<{ device_key: string; text: string; at: Date }>(
    `SELECT n.device_key, n.text, n.at FROM notice n JOIN device d ON d.id = n.device_id
     WHERE n.at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY
       AND NOT EXISTS (SELECT 1 FROM notice l WHERE l.device_id = n.device_id AND l.what = n.what AND l.id > n.id)
     ORDER BY n.id DESC LIMIT ${limit}`,
  );
  return whole(
    rows.map((row) => ({
      kind: 'device',
      key: row.device_key,
      detail: row.text,
      remedy: `zpine watch list ${row.device_key}`,
      since: row.at,
    })),
  );
};

/** Devices that should be captured by plan, and were not for long. */
export const notCaptured: Look = async (tx, { limit }) => {
  const planned = await tx.one(
    "SELECT 1 AS one FROM setting_value v JOIN setting s ON s.id = v.setting_id WHERE s.name = 'capture.hours' LIMIT 1",
  );
  if (!planned) return whole([]);
  const rows = await tx.select<{
    id: number;
    well_at: Date | null;
    detail: string | null;
    tried_at: Date | null;
    age: number | null;
  }>(
    `SELECT d.id, t.well_at, t.detail, t.tried_at, TIMESTAMPDIFF(HOUR, COALESCE(t.well_at, d.created_at), UTC_TIMESTAMP(3)) AS age
     FROM device d LEFT JOIN capture_try t ON t.device_id = d.id
     WHERE d.stage NOT IN ('retired', 'sketched', 'prepared') AND COALESCE(t.well_at, d.created_at) < UTC_TIMESTAMP(3) - INTERVAL 1 DAY
     ORDER BY t.well_at LIMIT 2000`,
  );
  if (rows.length === 0) return whole([]);
  const devices = await byIds(tx, 'device', rows, 'id');
  const setting = await settingsOfMany(tx, [...devices.values()], ['capture.hours', 'capture.warn-days']);
  const out: Finding[] = [];
  for (const row of rows) {
    const device = devices.get(Number(row.id));
    if (!device || !(Number(setting.value(device, 'capture.hours')) > 0)) continue;
    const days = Number(setting.value(device, 'capture.warn-days')) || 7;
    if (Number(row.age) < days * 24) continue;
    const why = row.detail ? `. The last try: ${row.detail}` : '';
    out.push({
      kind: 'device',
      key: device.key,
      detail: `${row.well_at ? `not captured for ${Math.floor(Number(row.age) / 24)} days` : 'never captured'}${why}`,
      since: row.well_at ?? new Date(device.createdAt),
      remedy: `zpine capture now ${device.key}`,
    });
    if (out.length >= limit) break;
  }
  return whole(out);
};
