/** Estates that stay where they were filled, so that the next one who wants the same has it at once. */
import { existsSync, rmSync, writeFileSync } from 'node:fs';
import { databaseEnv, makeUsers } from '../../ops/stack.ts';
import { startMariadb } from '../../ops/mariadb.ts';
import { countDoubts } from '../../service/app/matters/counting.ts';
import { readConfig } from '../../service/config.ts';
import { openStore } from '../../service/stores.ts';
import { migrate } from '../../service/store/migrate.ts';
import type { Actor, Store } from '../../service/store/store.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import { fillEstate } from './fill.ts';

const NAME = 'zpine_estate';
/** A database with all its indexes in memory; what a server for such an estate should be given. */
const MEMORY_MIB = 4096;

/** Configurations name the address at which devices report. */
const bootEnv = { ZPINE_BOOT_ADDRESS: '10.255.0.10', ZPINE_DIAL_MAP: 'default 10.255.0.0/16 127.60.0.0/16 10000' };

export interface Estate {
  env: Record<string, string>;
  store: Store;
  counts: () => Promise<Record<string, number>>;
  close: () => Promise<void>;
}

const filler: Actor = { name: 'estate', via: 'service' };

const counted = ['site', 'rack', 'device', 'box', 'port', 'interface', 'cable', 'address', 'prefix'] as const;

export async function openEstate(
  { devices, seed, fresh = false }: { devices: number; seed: number; fresh?: boolean },
  say: (text: string) => void = () => undefined,
): Promise<Estate> {
  const folder = `${process.env.ZPINE_STATE ?? '.pine'}/estate/${devices}-${seed}`;
  const mark = `${folder}/filled`;
  // One that was interrupted is no estate.
  if (fresh || !existsSync(mark)) rmSync(folder, { recursive: true, force: true });
  const whole = existsSync(mark);
  const memoryMiB = devices > 20_000 ? MEMORY_MIB : 512;
  const database = await startMariadb({ folder, databases: [NAME], memoryMiB, throwaway: !whole });
  const env = { ...databaseEnv(database, NAME), ZPINE_KEY_FILE: `${folder}/key`, ...bootEnv };
  const store = openStore(readConfig(env), 'job');
  const close = async () => {
    await store.sequelize.close();
    await database.stop();
  };
  try {
    await migrate(store);
    // What is counted now and then was counted; it is not to disturb what is measured.
    await transact(store, filler, 'estate', (tx) =>
      tx.execute("UPDATE job SET due_at = UTC_TIMESTAMP(3) + INTERVAL 15 MINUTE WHERE name = 'plausibility'"),
    );
    if (!whole) {
      const start = Date.now();
      let told = start;
      // What was filled has its search terms; an update of older data is not to be made up for.
      await transact(store, filler, 'estate', (tx) =>
        tx.execute("DELETE FROM job WHERE name IN ('reindex', 'reslot')"),
      );
      await fillEstate(store, { devices, seed }, (filled) => {
        if (Date.now() - told < 5000) return;
        told = Date.now();
        say(`${filled.devices.toLocaleString('en')} of ${devices.toLocaleString('en')} devices, ${seconds(start)}`);
      });
      await makeUsers(env);
      await countDoubts(store, {});
      writeFileSync(mark, new Date().toISOString());
      say(`filled in ${seconds(start)}`);
    }
  } catch (error) {
    await close();
    throw error;
  }
  if (!whole) {
    // Filled without waiting for the disk; measured as in real use.
    await close();
    return openEstate({ devices, seed }, say);
  }
  const counts = () =>
    readOnly(store, filler, async (tx) => {
      const out: Record<string, number> = {};
      for (const kind of counted)
        out[kind] = Number((await tx.one<{ n: number }>(`SELECT COUNT(*) AS n FROM \`${kind}\``))?.n ?? 0);
      return out;
    });
  return { env, store, counts, close };
}

const seconds = (since: number): string => `${Math.round((Date.now() - since) / 1000)} s`;
