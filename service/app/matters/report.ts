/** Looks for all that is on a list: for what several ask of devices, together. */
import { matters, doubtNames, type MatterName, type MatterWords } from '@zpine/contract/matters';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { countLacking, lacksOf, type LackName } from '../devices/lacks.ts';
import type { Leads } from './leads.ts';
import type { Looked } from './matter.ts';
import { findingOf } from './devices.ts';
import { table } from './table.ts';

/** What was found by each of these, in their order. */
export async function lookFor<N extends MatterName>(
  tx: Tx,
  names: readonly N[],
  limit: number,
  leads?: Leads,
): Promise<{ name: N; looked: Looked }[]> {
  const lacks = new Map<LackName, N>();
  for (const name of names) {
    const { lack } = table[name];
    if (lack) lacks.set(lack, name);
  }
  const ids = leads && Object.fromEntries([...lacks].map(([lack, name]) => [lack, leads[name] ?? []]));
  const lacking = lacks.size > 0 ? await lacksOf(tx, [...lacks.keys()], { ids, limit }) : [];
  const out: { name: N; looked: Looked }[] = [];
  for (const name of names) {
    const { lack, find } = table[name];
    if (lack) {
      const rows = lacking.filter((one) => one.lack === lack).map(findingOf);
      out.push({ name, looked: { rows, count: () => countLacking(tx, lack) } });
    } else if (find) out.push({ name, looked: await find(tx, { limit, ids: leads?.[name] }) });
  }
  return out;
}

type Report = ReplyOf<'doctor.data'>;

export async function doubtfulData(tx: Tx, query: QueryOf<'doctor.data'>): Promise<Report> {
  const items: Report['items'] = [];
  for (const { name, looked } of await lookFor(tx, query.only === undefined ? doubtNames : [query.only], query.limit)) {
    const words: MatterWords = matters[name];
    const rows = looked.rows.map(({ kind, key, detail, remedy }) => ({ kind, key, detail, remedy }));
    items.push({ doubt: name, title: words.title ?? name, count: await looked.count(), rows });
  }
  return { items, count: items.reduce((sum, { count }) => sum + count, 0) };
}
