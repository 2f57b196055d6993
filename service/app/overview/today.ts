/** What waits for somebody: every row names the thing, what is wrong in one sentence, and the remedy. */
import { type ReplyOf } from '@zpine/contract/routes';
import { diagnosisWords } from '@zpine/core/arrival/diagnosis';
import { stateOf } from '../arrivals/arrivals.ts';
import { listStrangers } from '../arrivals/strangers.ts';
import { type Tx } from '../../store/tx.ts';
import { runningOut } from '../addressing/samples.ts';
import { find } from '../../store/records.ts';
import { settingsOfMany } from '../settings/effective.ts';

type Today = ReplyOf<'today'>;
type Item = Today['items'][number];

const MOST = 50;
/** A prefix with this many host bits or fewer is meant to be full. */
const SMALL_BITS = 3;
const NEARLY_FULL_PERCENT = 90;
/** How far ahead one is told that a prefix will be full. */
const AHEAD_DAYS = 45;

interface DeviceRow {
  natural_key: string;
  created_at: Date;
  site: string | null;
}

export async function today(tx: Tx): Promise<Today> {
  const items = [
    ...(await stuckArrivals(tx)),
    ...(await strangers(tx)),
    ...(await notices(tx)),
    ...(await notCaptured(tx)),
    ...(await devicesWithout(tx, 'no-management')),
    ...(await devicesWithout(tx, 'no-box')),
    ...(await devicesWithout(tx, 'no-place')),
    ...(await sitesWithoutManagement(tx)),
    ...(await nearlyFull(tx)),
    ...(await runsOut(tx)),
  ];
  const counts = await tx.select<{ stage: string; count: number }>(
    'SELECT stage, COUNT(*) AS count FROM device GROUP BY stage',
  );
  const doubts = await tx.one<{ count: number | null; at: Date | null }>(
    'SELECT SUM(count) AS count, MAX(at) AS at FROM doubt_count',
  );
  return {
    items,
    doubts: doubts?.at ? { count: Number(doubts.count), at: doubts.at.toISOString() } : null,
    counts: Object.fromEntries(counts.map((c) => [c.stage, Number(c.count)])),
  };
}

const lacks = {
  'no-management': 'NOT EXISTS (SELECT 1 FROM address a WHERE a.interface_id = d.management_id)',
  'no-box': 'd.virtual = 0 AND NOT EXISTS (SELECT 1 FROM box b WHERE b.device_id = d.id)',
  'no-place': 'd.virtual = 0 AND d.rack_id IS NULL',
} as const;

async function devicesWithout(tx: Tx, code: keyof typeof lacks): Promise<Item[]> {
  const rows = await tx.select<DeviceRow>(
    `SELECT d.natural_key, d.created_at, s.natural_key AS site FROM device d LEFT JOIN site s ON s.id = d.site_id
     WHERE d.stage NOT IN ('retired', 'unproved') AND d.provisioned = 1 AND ${lacks[code]} ORDER BY d.sort_key LIMIT ${MOST}`,
  );
  const managed = code === 'no-management' ? await freeBySite(tx) : new Map<string, bigint>();
  return rows.map((row) => {
    const free = row.site === null ? undefined : managed.get(row.site);
    const site = row.site?.toUpperCase();
    const detail = {
      'no-management':
        free !== undefined
          ? `${site} has a management VLAN with ${free} free addresses.`
          : site === undefined
            ? 'It has no site, so there is no management VLAN to take one from.'
            : `${site} has no management VLAN with a prefix yet.`,
      'no-box': 'No hardware is fitted; it would be taken for a stranger when it boots.',
      'no-place': 'It stands in no rack.',
    }[code];
    const remedy = code === 'no-management' && free !== undefined && free > 0n ? 'assign-management' : 'open';
    return { code, kind: 'device', key: row.natural_key, detail, since: row.created_at.toISOString(), remedy };
  });
}

/** Arrivals that do not go on, each with the reason. */
async function stuckArrivals(tx: Tx): Promise<Item[]> {
  const rows = await tx.select<{ device_key: string; state: string }>(
    `SELECT device_key, state FROM arrival WHERE ended_at IS NULL AND diagnosis IS NOT NULL AND diagnosis <> 'ssh-waiting' ORDER BY id DESC LIMIT ${MOST}`,
  );
  return rows.flatMap((row) => {
    const { diagnosis } = stateOf(row);
    if (!diagnosis) return [];
    const { title, detail } = diagnosisWords(diagnosis);
    const words = `${title[0]?.toUpperCase()}${title.slice(1)}: ${detail}.`;
    return [
      {
        code: 'stuck' as const,
        kind: 'device',
        key: row.device_key,
        detail: words,
        since: diagnosis.since,
        remedy: 'open' as const,
      },
    ];
  });
}

async function strangers(tx: Tx): Promise<Item[]> {
  const { items } = await listStrangers(tx, { settled: 'false' });
  return items.slice(0, MOST).map((s) => {
    const [best] = s.candidates;
    const where = [s.site && `at ${s.site.toUpperCase()}`, s.relay && `behind relay ${s.relay}`]
      .filter(Boolean)
      .join(' ');
    const class_ = s.vendorClass ? `, vendor class “${s.vendorClass}”` : '';
    const looks = s.conflict ? ` ${s.conflict}.` : best ? ` Looks like ${best.device}.` : '';
    return {
      code: 'stranger' as const,
      kind: 'stranger',
      key: s.serial ?? s.mac,
      detail: `Boots ${where || 'on the wire of the service'}${class_}.${looks}`,
      since: s.firstAt,
      remedy: 'open' as const,
    };
  });
}

/** What the watch had to tell of the last day; the newest of each thing. */
async function notices(tx: Tx): Promise<Item[]> {
  const rows = await tx.select<{ device_key: string; text: string; at: Date }>(
    `SELECT n.device_key, n.text, n.at FROM notice n JOIN device d ON d.id = n.device_id
     WHERE n.at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY
       AND NOT EXISTS (SELECT 1 FROM notice l WHERE l.device_id = n.device_id AND l.what = n.what AND l.id > n.id)
     ORDER BY n.id DESC LIMIT ${MOST}`,
  );
  return rows.map((row) => ({
    code: 'notice',
    kind: 'device',
    key: row.device_key,
    detail: `${row.text[0]?.toUpperCase() ?? ''}${row.text.slice(1)}.`,
    since: row.at.toISOString(),
    remedy: 'open',
  }));
}

/** Devices that should be captured by plan, and were not for long. */
async function notCaptured(tx: Tx): Promise<Item[]> {
  const planned = await tx.one(
    "SELECT 1 AS one FROM setting_value v JOIN setting s ON s.id = v.setting_id WHERE s.name = 'capture.hours' LIMIT 1",
  );
  if (!planned) return [];
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
  if (rows.length === 0) return [];
  const devices = await find(tx, 'device', { id: rows.map((row) => Number(row.id)) });
  const setting = await settingsOfMany(tx, devices, ['capture.hours', 'capture.warn-days']);
  const out: Item[] = [];
  for (const row of rows) {
    const device = devices.find((one) => one.id === Number(row.id));
    if (!device || !(Number(setting.value(device, 'capture.hours')) > 0)) continue;
    const days = Number(setting.value(device, 'capture.warn-days')) || 7;
    if (Number(row.age) < days * 24) continue;
    const why = row.detail ? ` The last try: ${row.detail}.` : '';
    out.push({
      code: 'not-captured',
      kind: 'device',
      key: device.key,
      detail: `${row.well_at ? `Not captured for ${Math.floor(Number(row.age) / 24)} days` : 'Never captured'}.${why}`,
      since: row.well_at?.toISOString() ?? device.createdAt,
      remedy: 'open',
    });
    if (out.length >= MOST) break;
  }
  return out;
}

async function freeBySite(tx: Tx): Promise<Map<string, bigint>> {
  const rows = await tx.select<{ site: string; free: string }>(
    `SELECT s.natural_key AS site, SUM(f.free) AS free FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1
     JOIN prefix p ON p.vlan_id = v.id AND p.cidr_family = 4 JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed'
     JOIN site s ON s.id = v.site_id GROUP BY s.id`,
  );
  return new Map(rows.map((row) => [row.site, BigInt(row.free)]));
}

async function sitesWithoutManagement(tx: Tx): Promise<Item[]> {
  const rows = await tx.select<{ natural_key: string; created_at: Date; devices: number }>(
    `SELECT s.natural_key, s.created_at, COUNT(d.id) AS devices FROM site s JOIN device d ON d.site_id = s.id
     WHERE NOT EXISTS (SELECT 1 FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1 JOIN prefix p ON p.vlan_id = v.id WHERE v.site_id = s.id)
     GROUP BY s.id ORDER BY s.sort_key LIMIT ${MOST}`,
  );
  return rows.map((row) => ({
    code: 'no-management-prefix' as const,
    kind: 'site',
    key: row.natural_key,
    detail: `${row.devices} device${Number(row.devices) === 1 ? '' : 's'} here, and no prefix on a management VLAN to address them from.`,
    since: row.created_at.toISOString(),
    remedy: 'open' as const,
  }));
}

/** Prefixes that hand out fixed addresses and have few left; small ones are meant to be full. */
async function nearlyFull(tx: Tx): Promise<Item[]> {
  const rows = await tx.select<{ natural_key: string; free: string; assigned: number }>(
    `SELECT p.natural_key, f.free, COUNT(a.id) AS assigned
     FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed' JOIN address a ON a.prefix_id = p.id
     WHERE IF(p.cidr_family = 4, 32, 128) - p.cidr_length > ?
       AND f.free * 2 < POW(2, IF(p.cidr_family = 4, 32, 128) - p.cidr_length)
     GROUP BY p.id HAVING f.free * ? < COUNT(a.id) * ? ORDER BY f.free, p.sort_key LIMIT ${MOST}`,
    [SMALL_BITS, NEARLY_FULL_PERCENT, 100 - NEARLY_FULL_PERCENT],
  );
  return rows.map(({ natural_key: key, free, assigned }) => {
    const percent = Math.floor((100 * Number(assigned)) / (Number(assigned) + Number(free)));
    const detail = `${percent} % of what is for fixed assignment is taken, ${free} left.`;
    return { code: 'nearly-full', kind: 'prefix', key, detail, since: null, remedy: 'open' };
  });
}

/** Prefixes that will be full soon if it goes on like this. */
async function runsOut(tx: Tx): Promise<Item[]> {
  return (await runningOut(tx, AHEAD_DAYS)).slice(0, MOST).map(({ prefix, free, perMonth, day }) => ({
    code: 'runs-out',
    kind: 'prefix',
    key: prefix,
    detail: `${free} left, and ${perMonth} a month go: full about ${day}.`,
    since: null,
    remedy: 'open',
  }));
}
