/** How often the database is asked: paths that people wait for have a budget, however many records there are. */
import { AsyncLocalStorage } from 'node:async_hooks';
import { expect } from 'chai';
import type { Store } from '../service/store/store.ts';

const counting = new AsyncLocalStorage<string[]>();

/** What is sent by `work` itself; what the service does meanwhile is left out. */
export async function statementsOf(store: Store, work: () => Promise<unknown>): Promise<string[]> {
  const sent: string[] = [];
  store.heard = (sql) => void counting.getStore()?.push(sql.replaceAll(/\s+/g, ' ').trim());
  await counting.run(sent, work);
  return sent;
}

export async function expectStatements<T>(store: Store, most: number, work: () => Promise<T>): Promise<T> {
  let result: T | undefined;
  const sent = await statementsOf(store, async () => (result = await work()));
  expect(sent, sent.map((sql) => sql.slice(0, 200)).join('\n')).to.have.lengthOf.within(1, most);
  return result as T;
}
