import { QueryTypes, type Sequelize } from 'sequelize';
import type { Store } from './store.ts';
import { transact } from './transact.ts';

/** What keeps a service from starting, in words for whoever starts it. */
export class KeyFault extends Error {}

/** Before a new key is made: a database that was sealed with another would be lost with it. */
export async function refuseNewKey(sequelize: Sequelize, path: string): Promise<void> {
  const select = { type: QueryTypes.SELECT } as const;
  const [table] = await sequelize.query(
    "SELECT 1 AS one FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'sealing'",
    select,
  );
  if (!table) return;
  const [sample] = await sequelize.query('SELECT id FROM sealing WHERE id = 1', select);
  if (sample)
    throw new KeyFault(
      `there is no key for secrets at ${path}, and this database is sealed with one: put your copy of it there (ZPINE_KEY_FILE)`,
    );
}

/** Holds the key against the database: another key could open nothing that is sealed there. */
export async function checkSealer(store: Store): Promise<void> {
  await transact(store, { name: 'service', via: 'service' }, 'start', async (tx) => {
    await tx.execute('INSERT IGNORE INTO sealing (id, sample) VALUES (1, ?)', [store.sealer.seal('zealous pine')]);
    const row = await tx.one<{ sample: string }>('SELECT sample FROM sealing WHERE id = 1');
    try {
      store.sealer.open(row?.sample ?? '');
    } catch {
      throw new KeyFault('the key for secrets (ZPINE_KEY_FILE) is not the one that this database was sealed with');
    }
  });
}
