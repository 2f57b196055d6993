/** What is derived in the store is as the records say: asked at the end of suites, whatever they did. */
import { expect } from 'chai';
import { checkStore } from '../service/app/soundness/check.ts';
import type { Actor, Store } from '../service/store/store.ts';
import { readOnly } from '../service/store/transact.ts';

const actor: Actor = { name: 'tester', via: 'service' };

export async function expectSound(store: Store): Promise<void> {
  const { looks } = await checkStore(store, actor, false);
  // What ships with the database is indexed by a job, soon after the start.
  const waits = await readOnly(store, actor, (tx) => tx.one("SELECT 1 AS one FROM job WHERE name = 'reindex'"));
  const shipped = (about: string): boolean => waits !== undefined && /^search terms of (setting|vrf) /.test(about);
  expect(
    looks.flatMap(({ look, rows }) =>
      rows.filter(({ about }) => !shipped(about)).map((row) => `${look}: ${JSON.stringify(row)}`),
    ),
    'what is derived differs from the records',
  ).to.deep.equal([]);
}
