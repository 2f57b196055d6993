/** Open tasks: every row names the thing, what is wrong in one sentence, and the remedy. */
import { type ReplyOf } from '@zpine/contract/routes';
import { diagnosisWords } from '@zpine/core/arrival/diagnosis';
import { stateOf } from '../arrivals/arrivals.ts';
import { listStrangers } from '../arrivals/strangers.ts';
import { refusedRelays } from '../boot/relays.ts';
import { type Tx } from '../../store/tx.ts';
import { lackingItems } from './lacking.ts';
import { leadsOf } from './leads.ts';
import { find } from '../../store/records.ts';
import { settingsOfMany } from '../settings/effective.ts';

type Today = ReplyOf<'today'>;
type Item = Today['items'][number];

const MOST = 50;
/** What is counted for everybody is counted once in so long. */
const HELD_MS = 5000;

export async function today(tx: Tx): Promise<Today> {
  const doubts = await tx.one<{ count: number | null; at: Date | null }>(
    'SELECT SUM(count) AS count, MAX(at) AS at FROM doubt_count',
  );
  const leads = await leadsOf(tx, doubts?.at ?? null);
  const items = [
    ...(await stuckArrivals(tx)),
    ...(await strangers(tx)),
    ...(await relays(tx)),
    ...(await notices(tx)),
    ...(await notCaptured(tx)),
    ...(await lackingItems(tx, leads)),
  ];
  return {
    items,
    doubts: doubts?.at ? { count: Number(doubts.count), at: doubts.at.toISOString() } : null,
    // In a large estate they are counted once in a while: that takes longer than all the rest.
    counts: await (leads ? tx.heldFor('stages', HELD_MS, () => stages(tx)) : stages(tx)),
  };
}

async function stages(tx: Tx): Promise<Record<string, number>> {
  const rows = await tx.select<{ stage: string; count: number }>(
    'SELECT stage, COUNT(*) AS count FROM device GROUP BY stage',
  );
  return Object.fromEntries(rows.map(({ stage, count }) => [stage, Number(count)]));
}

/** How many tasks are open, and how many devices arrive: what every page shows, and nobody waits for. */
export const todayCounts = (tx: Tx): Promise<ReplyOf<'today.counts'>> =>
  tx.heldFor('today', HELD_MS, async () => {
    const { items, counts } = await today(tx);
    return { open: items.length, arriving: (counts.arriving ?? 0) + (counts.proving ?? 0) };
  });

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
        command: `zpine arrival show ${row.device_key}`,
      },
    ];
  });
}

async function strangers(tx: Tx): Promise<Item[]> {
  const { items } = await listStrangers(tx, { settled: 'false' }, MOST);
  return items.map((s) => {
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
      command: 'zpine stranger list',
    };
  });
}

/** Packets that nobody is believed to have sent for a relay. */
async function relays(tx: Tx): Promise<Item[]> {
  return (await refusedRelays(tx)).map(({ prefix, detail, remedy, since }) => ({
    code: 'relay' as const,
    kind: 'prefix',
    key: prefix,
    detail,
    since,
    remedy: 'open' as const,
    command: remedy,
  }));
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
    command: `zpine watch list ${row.device_key}`,
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
      command: `zpine capture now ${device.key}`,
    });
    if (out.length >= MOST) break;
  }
  return out;
}
