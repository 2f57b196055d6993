/** What an import did to the tree of prefixes: what stands at the top of it now, and what is the same space in two VRFs. */
import type { ImportOutcome } from '@zpine/contract/importRoutes';
import type { Tx } from '../../store/tx.ts';
import { overlapsOf } from './overlaps.ts';

const SHOWN = 20;

/** Of the prefixes that this very unit of work added; nothing where it added none. */
export async function importedTree(tx: Tx): Promise<ImportOutcome['tree']> {
  const now = await tx.now();
  const rows = await tx.select<{ natural_key: string; id: number; parent_id: number | null }>(
    'SELECT id, natural_key, parent_id FROM prefix WHERE created_at = ? AND version = 1 ORDER BY sort_key',
    [now],
  );
  if (rows.length === 0) return null;
  const tops = rows.filter((row) => row.parent_id === null);
  const taken = await tx.one<{ count: number }>(
    `SELECT COUNT(*) AS count FROM prefix c JOIN prefix p ON p.id = c.parent_id
     WHERE p.created_at = ? AND p.version = 1 AND c.created_at <> ?`,
    [now, now],
  );
  const names = new Set(rows.map((row) => row.natural_key));
  const overlaps = (await overlapsOf(tx)).filter(({ one, other }) => names.has(one.prefix) || names.has(other.prefix));
  return {
    nested: rows.length - tops.length,
    tops: tops.slice(0, SHOWN).map((row) => row.natural_key),
    topCount: tops.length,
    takenOver: Number(taken?.count ?? 0),
    overlaps: overlaps.slice(0, SHOWN).map(({ one, other }) => [one.prefix, other.prefix]),
    overlapCount: overlaps.length,
  };
}
