/** The drift of devices: kept as it was found when they were compared last, listed with those that differ alike together. */
import type { Difference } from '@zpine/core/config/compare';
import type { ShownComparison } from '@zpine/contract/driftShapes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { publishedFilesOf } from '../editions/rows.ts';
import { mustFind } from '../records/refs.ts';
import { whereCondition } from '../records/where.ts';
import { maskersFor } from '../secrets/known.ts';
import { byIds } from '../../store/records.ts';
import { linesIn, linesOf, type FoundDrift, type IntendedEdition } from './compared.ts';

/** What was found is asked for by itself. */
const drifts = table('drift', {
  device_id: number,
  edition: maybe(number),
  compared_at: time,
  lines: number,
  since: maybe(time),
  digest: maybe(text),
  rights: number,
  not_comparable: number,
  elsewhere: number,
  parts: text,
  unkept: maybe(number),
  unkept_since: maybe(time),
  unkept_digest: maybe(text),
});
type DriftRow = RowOf<typeof drifts>;

/** The published editions of devices, by their ids; those that have none are left out. */
export const intendedOf = (tx: Tx, devices: readonly number[]): Promise<Map<number, IntendedEdition>> =>
  publishedFilesOf(tx, devices);

/** Takes the place of what was found before. What differs as it did goes on since then. */
export async function saveDrift(tx: Tx, device: number, found: FoundDrift): Promise<void> {
  const { comparison, stored } = found;
  const now = await tx.now();
  const before = await tx.one<Pick<DriftRow, 'digest' | 'since' | 'unkept_digest' | 'unkept_since'>>(
    'SELECT digest, since, unkept_digest, unkept_since FROM drift WHERE device_id = ?',
    [device],
  );
  const since = (digest: string | null, was: string | null | undefined, at: Date | null | undefined) =>
    digest === null ? null : was === null || was === undefined ? now : (at ?? now);
  const row: Record<string, unknown> = {
    edition_id: found.edition?.id ?? null,
    edition: found.edition?.number ?? null,
    compared_at: now,
    lines: comparison ? linesIn(comparison) : 0,
    since: since(found.digest, before?.digest, before?.since),
    digest: found.digest,
    rights: comparison?.right ?? 0,
    not_comparable: comparison?.notComparable.length ?? 0,
    elsewhere: found.elsewhere,
    parts: [
      ...(comparison?.parts ?? []).filter((part) => part.differs > 0).map((part) => part.name),
      ...(comparison?.files ?? []).map(({ path }) => path),
    ]
      .join('\n')
      .slice(0, 2000),
    unkept: stored === null ? null : linesOf(stored),
    unkept_since: since(found.storedDigest, before?.unkept_digest, before?.unkept_since),
    unkept_digest: found.storedDigest,
    comparison: comparison && JSON.stringify(comparison),
    stored: stored && JSON.stringify(stored),
  };
  const names = Object.keys(row);
  const columns = names.map((name) => `\`${name}\``);
  await tx.execute(
    `INSERT INTO drift (device_id, ${columns.join(', ')}) VALUES (?, ${names.map(() => '?').join(', ')})
     ON DUPLICATE KEY UPDATE ${columns.map((name) => `${name} = VALUES(${name})`).join(', ')}`,
    [device, ...Object.values(row)],
  );
  const isAnother = found.digest !== (before?.digest ?? null) || found.storedDigest !== (before?.unkept_digest ?? null);
  if (isAnother || !before) tx.hint('drift', device, null);
}

const iso = (at: Date | null): string | null => at?.toISOString() ?? null;
const partsIn = (row: Pick<DriftRow, 'parts'>): string[] => row.parts.split('\n').filter((name) => name !== '');

const shown = (row: DriftRow, device: string, published: number | null) => ({
  device,
  edition: row.edition,
  published,
  comparedAt: row.compared_at.toISOString(),
  lines: row.lines,
  since: iso(row.since),
  right: row.rights,
  notComparable: row.not_comparable,
  elsewhere: row.elsewhere,
  parts: partsIn(row),
  unkept: row.unkept,
  unkeptSince: iso(row.unkept_since),
});

const PUBLISHED_NUMBER = `SELECT e.number FROM edition e WHERE e.device_id = r.device_id AND e.published_at IS NOT NULL
  ORDER BY e.published_at DESC, e.number DESC LIMIT 1`;

/** Short, for the page of a device; null where it was never compared. */
export async function driftHead(tx: Tx, device: Pick<Stored<'device'>, 'id' | 'key'>) {
  const row = await tx.one<DriftRow & { published: number | null }>(
    `SELECT ${drifts.of('r')}, (${PUBLISHED_NUMBER}) AS published FROM drift r WHERE r.device_id = ?`,
    [device.id],
  );
  return row ? shown(row, device.key, row.published) : null;
}

export async function showDrift(tx: Tx, ref: string): Promise<ReplyOf<'drift.show'>> {
  const device = await mustFind(tx, 'device', ref);
  const head = await driftHead(tx, device);
  if (!head) return { drift: null };
  const row = await tx.one<{ comparison: string | null; stored: string | null }>(
    'SELECT comparison, stored FROM drift WHERE device_id = ?',
    [device.id],
  );
  // A secret that became known after this was found.
  const masker = (await maskersFor(tx, [device])).get(device.id);
  const read = <T>(held: string | null | undefined): T | null =>
    held === null || held === undefined ? null : (JSON.parse(masker?.mask(held) ?? held) as T);
  return {
    drift: {
      ...head,
      comparison: read<ShownComparison>(row?.comparison),
      stored: read<Difference[]>(row?.stored) ?? [],
    },
  };
}

/** So many devices of a group are named; all of them are counted. */
const MOST_NAMED = 500;

export async function listDrift(tx: Tx, query: QueryOf<'drift.list'>): Promise<ReplyOf<'drift.list'>> {
  const [digest, since, lines, held] =
    query.of === 'edition'
      ? ['digest', 'since', 'lines', 'comparison']
      : ['unkept_digest', 'unkept_since', 'unkept', 'stored'];
  const condition = query.where === undefined ? undefined : await whereCondition(tx, 'device', query.where);
  const among = `AND device_id IN (SELECT id FROM device WHERE stage <> 'retired'${condition ? ` AND (${condition.sql})` : ''})`;
  const values = condition?.values ?? [];
  const totals = await tx.one<{ count: number; compared: number }>(
    `SELECT COUNT(\`${digest}\`) AS count, COUNT(${query.of === 'edition' ? 'edition' : 'unkept'}) AS compared
     FROM drift WHERE 1 = 1 ${among}`,
    values,
  );
  const groups = await tx.select<{ digest: string; count: number; first: Date; device: number }>(
    `SELECT \`${digest}\` AS digest, COUNT(*) AS count, MIN(\`${since}\`) AS first, MIN(device_id) AS device FROM drift
     WHERE \`${digest}\` IS NOT NULL ${among} GROUP BY \`${digest}\` ORDER BY count DESC, first LIMIT ${query.limit + 1}`,
    values,
  );
  const shownGroups = groups.slice(0, query.limit);
  const reply = {
    count: Number(totals?.count ?? 0),
    compared: Number(totals?.compared ?? 0),
    more: groups.length > query.limit,
  };
  if (shownGroups.length === 0) return { ...reply, groups: [] };
  const firsts = shownGroups.map((group) => Number(group.device));
  const found = await tx.select<{ device_id: number; lines: number; parts: string; held: string | null }>(
    `SELECT device_id, \`${lines}\` AS \`lines\`, parts, \`${held}\` AS held FROM drift WHERE device_id IN (?)`,
    [firsts],
  );
  const named = await tx.select<{ digest: string; natural_key: string }>(
    `SELECT digest, natural_key FROM (
       SELECT r.\`${digest}\` AS digest, d.natural_key, d.sort_key,
         ROW_NUMBER() OVER (PARTITION BY r.\`${digest}\` ORDER BY d.sort_key, d.id) AS n
       FROM drift r JOIN device d ON d.id = r.device_id WHERE r.\`${digest}\` IN (?) ${among.replace('device_id', 'r.device_id')}
     ) numbered WHERE n <= ${MOST_NAMED} ORDER BY sort_key`,
    [shownGroups.map((group) => group.digest), ...values],
  );
  const maskers = await maskersFor(tx, [...(await byIds(tx, 'device', firsts)).values()]);
  return {
    ...reply,
    groups: shownGroups.map((group) => {
      const one = found.find((row) => Number(row.device_id) === Number(group.device));
      const text = one?.held ?? (query.of === 'edition' ? '{"differences":[]}' : '[]');
      const read = JSON.parse(maskers.get(Number(group.device))?.mask(text) ?? text) as
        Difference[] | Pick<ShownComparison, 'differences' | 'files'>;
      return {
        devices: named.filter((row) => row.digest === group.digest).map((row) => row.natural_key),
        count: Number(group.count),
        lines: Number(one?.lines ?? 0),
        parts: query.of === 'edition' && one ? partsIn(one) : [],
        differences: Array.isArray(read) ? read : read.differences,
        files: Array.isArray(read) ? [] : (read.files ?? []),
        since: group.first.toISOString(),
      };
    }),
  };
}
