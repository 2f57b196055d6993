/** What a device cannot do without. Doubts, the list of today and its own page ask here, so that they say the same. */
import { grouped } from '@zpine/core/lists/grouped';
import { among } from '../../store/among.ts';
import type { Tx } from '../../store/tx.ts';

/** Those that are meant to run, or do. */
export const OURS = "d.stage <> 'retired' AND d.provisioned = 1";
const HARDWARE = "d.virtual = 0 AND d.stage <> 'unproved'";

/** As a test of the device `d`. */
const tests = {
  'no-management': 'NOT EXISTS (SELECT 1 FROM address a WHERE a.interface_id = d.management_id AND a.shared = 0)',
  'no-dialect':
    'd.dialect_id IS NULL AND NOT EXISTS (SELECT 1 FROM model m WHERE m.id = d.model_id AND m.dialect_id IS NOT NULL)',
  'no-box': `${HARDWARE} AND NOT EXISTS (SELECT 1 FROM box b WHERE b.device_id = d.id)`,
  'no-rack': `${HARDWARE} AND d.rack_id IS NULL`,
} as const;
export type LackName = keyof typeof tests;
const lackNames = Object.keys(tests) as LackName[];

export interface Lack {
  lack: LackName;
  device: string;
  /** A sentence without its full stop, and without a capital. */
  detail: string;
  /** A command that mends it, or leads there. */
  remedy: string;
  /** The service could assign a management address at once. */
  assignable: boolean;
  since: Date;
}

/** SQL that gives the ids of devices that lack it. */
export const lackingIds = (lack: LackName): string => `SELECT d.id FROM device d WHERE ${OURS} AND ${tests[lack]}`;

export async function countLacking(tx: Tx, lack: LackName): Promise<number> {
  const row = await tx.one<{ count: number }>(
    `SELECT COUNT(*) AS count FROM device d WHERE ${OURS} AND ${tests[lack]}`,
  );
  return Number(row?.count ?? 0);
}

/** Which devices lack which of these, in the order of the devices; at most `limit` devices for each of them. */
export async function lacksOf(
  tx: Tx,
  lacks: readonly LackName[],
  where: { ids?: Partial<Record<LackName, readonly number[]>> | undefined; limit: number },
): Promise<Lack[]> {
  const of = lacks.map(
    (lack) =>
      `(SELECT '${lack}' AS lack, d.natural_key, d.created_at, s.natural_key AS site FROM device d LEFT JOIN site s ON s.id = d.site_id
        WHERE ${OURS} AND ${tests[lack]} ${among('d.id', where.ids?.[lack])} ORDER BY d.sort_key, d.id LIMIT ${where.limit})`,
  );
  const rows = await tx.select<{ lack: LackName; natural_key: string; created_at: Date; site: string | null }>(
    of.join(' UNION ALL '),
  );
  const unmanaged = rows.filter(({ lack }) => lack === 'no-management');
  const sites = await managedSites(
    tx,
    unmanaged.flatMap(({ site }) => site ?? []),
  );
  const found = grouped(rows, ({ lack }) => lack);
  return lacks.flatMap((lack) =>
    (found.get(lack) ?? []).map(({ natural_key: device, created_at: since, site }) => ({
      lack,
      device,
      since,
      assignable: false,
      ...wordsOf(lack, device, site, sites),
    })),
  );
}

/** Everything that one device lacks. */
export async function lacksOfDevice(tx: Tx, id: number): Promise<Lack[]> {
  const marks = lackNames.map((lack, i) => `${tests[lack]} AS l${i}`).join(', ');
  const row = await tx.one<Record<string, unknown> & { natural_key: string; created_at: Date; site: string | null }>(
    `SELECT d.natural_key, d.created_at, s.natural_key AS site, ${marks} FROM device d LEFT JOIN site s ON s.id = d.site_id
     WHERE ${OURS} AND d.id = ?`,
    [id],
  );
  if (!row) return [];
  const lacks = lackNames.filter((_, i) => Number(row[`l${i}`]) === 1);
  const sites = lacks.includes('no-management') && row.site !== null ? await managedSites(tx, [row.site]) : new Map();
  return lacks.map((lack) => ({
    lack,
    device: row.natural_key,
    since: row.created_at,
    assignable: false,
    ...wordsOf(lack, row.natural_key, row.site, sites),
  }));
}

interface Managed {
  prefix: string;
  free: bigint;
}

/** The IPv4 prefixes of the management VLANs of sites. */
async function managedSites(tx: Tx, sites: string[]): Promise<Map<string, Managed[]>> {
  if (sites.length === 0) return new Map();
  const rows = await tx.select<{ site: string; prefix: string; free: string }>(
    `SELECT s.natural_key AS site, p.natural_key AS prefix, f.free FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1
     JOIN prefix p ON p.vlan_id = v.id AND p.cidr_family = 4 JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed'
     JOIN site s ON s.id = v.site_id WHERE s.natural_key IN (?) ORDER BY p.sort_key`,
    [[...new Set(sites)]],
  );
  return grouped(
    rows.map(({ site, prefix, free }) => ({ site, prefix, free: BigInt(free) })),
    (row) => row.site,
  );
}

function wordsOf(
  lack: LackName,
  device: string,
  site: string | null,
  managed: ReadonlyMap<string, Managed[]>,
): Pick<Lack, 'detail' | 'remedy'> & Partial<Lack> {
  if (lack === 'no-box')
    return {
      detail: 'no hardware is fitted; it would be taken for a stranger when it boots',
      remedy: `zpine device fit ${device} SERIAL`,
    };
  if (lack === 'no-rack')
    return { detail: 'it stands in no rack', remedy: `zpine device edit ${device} --rack RACK --positionU U` };
  if (lack === 'no-dialect')
    return {
      detail: 'neither it nor its model names a dialect',
      remedy: `zpine device edit ${device} --dialect DIALECT`,
    };
  if (site === null)
    return {
      detail: 'it has no management address, and no site to take one from',
      remedy: `zpine device edit ${device} --site SITE`,
    };
  const here = managed.get(site) ?? [];
  const [first, second] = here;
  const name = site.toUpperCase();
  if (!first)
    return {
      detail: `it has no management address, and ${name} has no prefix on a management VLAN`,
      remedy: `zpine prefix edit PREFIX --vlan ${site}/NUMBER`,
    };
  if (second)
    return {
      detail: `it has no management address, and ${name} has several prefixes for management: ${here.map((one) => one.prefix).join(', ')}`,
      remedy: `zpine address next ${first.prefix} --for ${device}`,
    };
  if (first.free === 0n)
    return {
      detail: `it has no management address, and ${first.prefix}, the management prefix of ${name}, is full`,
      remedy: `zpine prefix tree ${first.prefix}`,
    };
  return {
    detail: `it has no management address; ${name} has ${first.free} free`,
    remedy: `zpine address next --for ${device}`,
    assignable: true,
  };
}
