/** MACs of boxes and interfaces: each belongs to one of them. */
import type { Value } from '@zpine/contract/fields';
import { columnOf, fieldsOf, type RecordHead } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { toColumns } from './columns.ts';
import type { Tx } from './tx.ts';

const macFields = (name: KindName): string[] =>
  fieldsOf(kindOf(name))
    .filter(([, spec]) => spec.type === 'mac')
    .map(([field]) => field);

/** A MAC belongs to one box or one interface: all kinds claim theirs in one table. */
export async function claimMacs(tx: Tx, name: KindName, records: RecordHead[]): Promise<void> {
  const claims = macFields(name).flatMap((field) =>
    records.flatMap((record) => {
      const mac = (record as Record<string, Value>)[field] ?? null;
      if (mac === null) return [];
      const { [columnOf(field)]: bytes } = toColumns(field, { type: 'mac', title: '' }, mac);
      return [{ mac: bytes, kind: name, record_id: record.id }];
    }),
  );
  if (claims.length > 0) await tx.insertRows('mac_claim', claims, '');
}

export async function freeMacs(tx: Tx, name: KindName, ids: number[]): Promise<void> {
  if (macFields(name).length === 0) return;
  await tx.execute('DELETE FROM mac_claim WHERE kind = ? AND record_id IN (?)', [name, ids]);
}
