import { run, type Store } from './tx.ts';

/** Holds the key against the database: another key could open nothing that is sealed there. */
export async function checkSealer(store: Store): Promise<void> {
  await run(store, { name: 'service', via: 'service' }, 'start', async (tx) => {
    await tx.execute('INSERT IGNORE INTO sealing (id, sample) VALUES (1, ?)', [store.sealer.seal('zealous pine')]);
    const row = await tx.one<{ sample: string }>('SELECT sample FROM sealing WHERE id = 1');
    try {
      store.sealer.open(row?.sample ?? '');
    } catch {
      throw new Error('the key for secrets (ZPINE_KEY_FILE) is not the one that this database was sealed with');
    }
  });
}
