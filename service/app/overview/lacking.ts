/** What lacks something that it cannot do without, and prefixes that are nearly full. */
import { type ReplyOf } from '@zpine/contract/routes';
import { among } from '../../store/among.ts';
import { type Tx } from '../../store/tx.ts';
import { runningOut } from '../addressing/samples.ts';
import { lacksOf, type LackName } from '../devices/lacks.ts';

type Item = ReplyOf<'today'>['items'][number];

const MOST = 50;
/** How far ahead one is told that a prefix will be full. */
export const AHEAD_DAYS = 45;
/** A prefix with this many host bits or fewer is meant to be full. */
const SMALL_BITS = 3;
const NEARLY_FULL_PERCENT = 90;

/** Those that are a task for somebody; what else is doubtful stands among the doubts. */
export const deviceLacks = ['no-management', 'no-box', 'no-rack'] as const satisfies LackName[];

export const lackCodes = [...deviceLacks, 'no-management-prefix', 'nearly-full', 'runs-out'] as const;
export type LackCode = (typeof lackCodes)[number];

/** Which records could be concerned, by their ids; without it, all are looked at. */
export type Leads = Record<LackCode, number[]>;

export async function lackingItems(tx: Tx, leads: Leads | undefined): Promise<Item[]> {
  return [
    ...(await devicesWithout(tx, leads)),
    ...(await sitesWithoutManagement(tx, leads)),
    ...(await nearlyFull(tx, leads)),
    ...(await runsOut(tx, leads)),
  ];
}

async function devicesWithout(tx: Tx, leads: Leads | undefined): Promise<Item[]> {
  const lacks = await lacksOf(tx, deviceLacks, { ids: leads, limit: MOST });
  return lacks.map(({ lack, device, detail, remedy, assignable, since }) => ({
    code: lack as LackCode,
    kind: 'device',
    key: device,
    detail: sentence(detail),
    since: since.toISOString(),
    remedy: assignable ? 'assign-management' : 'open',
    command: remedy,
  }));
}

const sentence = (words: string): string => `${words[0]?.toUpperCase() ?? ''}${words.slice(1)}.`;

async function sitesWithoutManagement(tx: Tx, leads: Leads | undefined): Promise<Item[]> {
  const rows = await tx.select<{ natural_key: string; created_at: Date; devices: number }>(
    `SELECT s.natural_key, s.created_at, COUNT(d.id) AS devices FROM site s JOIN device d ON d.site_id = s.id
     WHERE NOT EXISTS (SELECT 1 FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1 JOIN prefix p ON p.vlan_id = v.id WHERE v.site_id = s.id)
       ${among('s.id', leads?.['no-management-prefix'])}
     GROUP BY s.id ORDER BY s.sort_key LIMIT ${MOST}`,
  );
  return rows.map((row) => ({
    code: 'no-management-prefix' as const,
    kind: 'site',
    key: row.natural_key,
    detail: `${row.devices} device${Number(row.devices) === 1 ? '' : 's'} here, and no prefix on a management VLAN to address them from.`,
    since: row.created_at.toISOString(),
    remedy: 'open' as const,
    command: `zpine prefix edit PREFIX --vlan ${row.natural_key}/NUMBER`,
  }));
}

/** Prefixes that hand out fixed addresses and have few left; small ones are meant to be full. */
async function nearlyFull(tx: Tx, leads: Leads | undefined): Promise<Item[]> {
  const rows = await tx.select<{ natural_key: string; free: string; assigned: number }>(
    `SELECT p.natural_key, f.free, COUNT(a.id) AS assigned
     FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed' JOIN address a ON a.prefix_id = p.id
     WHERE IF(p.cidr_family = 4, 32, 128) - p.cidr_length > ?
       AND f.free * 2 < POW(2, IF(p.cidr_family = 4, 32, 128) - p.cidr_length)
       ${among('p.id', leads?.['nearly-full'])}
     GROUP BY p.id HAVING f.free * ? < COUNT(a.id) * ? ORDER BY f.free, p.sort_key LIMIT ${MOST}`,
    [SMALL_BITS, NEARLY_FULL_PERCENT, 100 - NEARLY_FULL_PERCENT],
  );
  return rows.map(({ natural_key: key, free, assigned }) => {
    const percent = Math.floor((100 * Number(assigned)) / (Number(assigned) + Number(free)));
    const detail = `${percent} % of what is for fixed assignment is taken, ${free} left.`;
    return {
      code: 'nearly-full',
      kind: 'prefix',
      key,
      detail,
      since: null,
      remedy: 'open',
      command: `zpine prefix tree ${key}`,
    };
  });
}

/** Prefixes that will be full soon if it goes on like this. */
async function runsOut(tx: Tx, leads: Leads | undefined): Promise<Item[]> {
  return (await runningOut(tx, AHEAD_DAYS, leads?.['runs-out']))
    .slice(0, MOST)
    .map(({ prefix, free, perMonth, day }) => ({
      code: 'runs-out',
      kind: 'prefix',
      key: prefix,
      detail: `${free} left, and ${perMonth} a month go: full about ${day}.`,
      since: null,
      remedy: 'open',
      command: `zpine prefix tree ${prefix}`,
    }));
}
