/** Sites without a prefix for management, and prefixes that are nearly full, or will be. */
import { among } from '../../store/among.ts';
import type { Tx } from '../../store/tx.ts';
import { runningOut } from '../addressing/samples.ts';
import { whole, type Look } from './matter.ts';

/** How far ahead one is told that a prefix will be full. */
const AHEAD_DAYS = 45;
/** A prefix with this many host bits or fewer is meant to be full. */
const SMALL_BITS = 3;
const NEARLY_FULL_PERCENT = 90;

/** Sites with devices and nothing to address them from. */
export const unmanagedSites: Look = async (tx, { limit, ids }) => {
  const rows = await tx.select<{ natural_key: string; created_at: Date; devices: number }>(
    `SELECT s.natural_key, s.created_at, COUNT(d.id) AS devices FROM site s JOIN device d ON d.site_id = s.id
     WHERE NOT EXISTS (SELECT 1 FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1 JOIN prefix p ON p.vlan_id = v.id WHERE v.site_id = s.id)
       ${among('s.id', ids)}
     GROUP BY s.id ORDER BY s.sort_key LIMIT ${limit}`,
  );
  return whole(
    rows.map((row) => ({
      kind: 'site',
      key: row.natural_key,
      detail: `${row.devices} device${Number(row.devices) === 1 ? '' : 's'} here, and no prefix on a management VLAN to address them from`,
      remedy: `zpine prefix edit PREFIX --vlan ${row.natural_key}/NUMBER`,
      since: row.created_at,
    })),
  );
};

/** Prefixes that hand out fixed addresses and have few left; small ones are meant to be full. */
export const nearlyFull: Look = async (tx, { limit, ids }) => {
  const rows = await tx.select<{ natural_key: string; free: string; assigned: number }>(
    `SELECT p.natural_key, f.free, COUNT(a.id) AS assigned
     FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed' JOIN address a ON a.prefix_id = p.id
     WHERE IF(p.cidr_family = 4, 32, 128) - p.cidr_length > ?
       AND f.free * 2 < POW(2, IF(p.cidr_family = 4, 32, 128) - p.cidr_length)
       ${among('p.id', ids)}
     GROUP BY p.id HAVING f.free * ? < COUNT(a.id) * ? ORDER BY f.free, p.sort_key LIMIT ${limit}`,
    [SMALL_BITS, NEARLY_FULL_PERCENT, 100 - NEARLY_FULL_PERCENT],
  );
  return whole(
    rows.map(({ natural_key: key, free, assigned }) => {
      const percent = Math.floor((100 * Number(assigned)) / (Number(assigned) + Number(free)));
      const detail = `${percent} % of what is for fixed assignment is taken, ${free} left`;
      return { kind: 'prefix', key, detail, remedy: `zpine prefix tree ${key}`, since: null };
    }),
  );
};

/** Prefixes that will be full soon if it goes on like this. */
export const runsOut: Look = async (tx, { limit, ids }) => {
  const rows = await runningOut(tx, AHEAD_DAYS, ids);
  return whole(
    rows.slice(0, limit).map(({ prefix, free, perMonth, day }) => ({
      kind: 'prefix',
      key: prefix,
      detail: `${free} left, and ${perMonth} a month go: full about ${day}`,
      remedy: `zpine prefix tree ${prefix}`,
      since: null,
    })),
  );
};

/** The ids of those. */
export const runningOutIds = async (tx: Tx): Promise<number[]> =>
  (await runningOut(tx, AHEAD_DAYS)).map(({ id }) => id);
