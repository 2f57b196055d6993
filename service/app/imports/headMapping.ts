/** What columns of other people's tables mean: said once, remembered for the next import of the kind. */
import { nearest } from '@zpine/core/naming/names';
import { Refusal } from '@zpine/contract/errors';
import { importKinds, isImportKind, type ImportKind } from '@zpine/contract/importRoutes';
import type { Tx } from '../../store/tx.ts';

export async function rememberedHeads(tx: Tx, kind: ImportKind | 'list'): Promise<Map<string, string | null>> {
  const rows = await tx.select<{ head: string; field: string | null }>(
    'SELECT head, field FROM head_mapping WHERE kind = ?',
    [kind],
  );
  return new Map(rows.map((row) => [row.head.toLowerCase(), row.field]));
}

const MOST_SIGNS = 100;

export async function rememberHeads(
  tx: Tx,
  kind: ImportKind | 'list',
  columns: Record<string, string | null>,
): Promise<void> {
  for (const [column, field] of Object.entries(columns)) {
    if (column.length > MOST_SIGNS) continue;
    await tx.execute(
      `INSERT INTO head_mapping (kind, head, field, updated_at, updated_by) VALUES (?, ?, ?, ?, ?)
       ON DUPLICATE KEY UPDATE field = VALUES(field), updated_at = VALUES(updated_at), updated_by = VALUES(updated_by)`,
      [kind, column.toLowerCase(), field, await tx.now(), tx.actor.name],
    );
  }
}

/** What rows of an import are said to be. */
export function kindOfImport(name: string): ImportKind {
  if (isImportKind(name)) return name;
  const near = nearest(name, importKinds);
  throw Refusal.at(['kind'], 'import-kind-unknown', { kind: name, ...(near ? { meant: near } : {}) });
}
