/** The search terms of records: derived, and written with the record. */
import { typeOf, type Value } from '@zpine/contract/fields';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { fieldsOf, type RecordHead } from '@zpine/contract/kind';
import type { Tx } from './tx.ts';

interface Found {
  term: string;
  field: string;
}

function termsOf(name: KindName, record: Record<string, Value>): Found[] {
  return fieldsOf(kindOf(name)).flatMap(([field, spec]) => {
    const terms = spec.derived ? [] : (typeOf(spec).terms?.(record[field] ?? null) ?? []);
    return [...new Set(terms)].map((term) => ({ term, field }));
  });
}

export async function addTerms(tx: Tx, name: KindName, records: (RecordHead & Record<string, Value>)[]): Promise<void> {
  const rows = records.flatMap((record) =>
    termsOf(name, record).map(({ term, field }) => ({ term, kind: name, record_id: record.id, field })),
  );
  if (rows.length > 0) await tx.insertRows('search_term', rows, '');
}

export async function dropTerms(tx: Tx, name: KindName, ids: number[]): Promise<void> {
  if (ids.length > 0) await tx.execute('DELETE FROM search_term WHERE kind = ? AND record_id IN (?)', [name, ids]);
}

/** Whether an edit changes what a record is found by. */
export const termsDiffer = (name: KindName, before: Record<string, Value>, after: Record<string, Value>): boolean =>
  JSON.stringify(termsOf(name, before)) !== JSON.stringify(termsOf(name, after));
