/** More devices with boxes, put beside those that stand: nothing but rows, as fast as the database takes them. */
import { openStore } from '../service/stores.ts';
import { readConfig } from '../service/config.ts';
import type { Actor } from '../service/store/store.ts';
import { transact } from '../service/store/transact.ts';

const actor: Actor = { name: 'bench', via: 'service' };

/** Like this one, with names and serials of their own. Whoever holds devices in memory has to be started again. */
export async function addLike(env: Record<string, string>, model: string, count: number): Promise<void> {
  const store = openStore(readConfig(env), 'job');
  try {
    await transact(store, actor, 'bench', async (tx) => {
      for (const [table, key, named, own] of [
        ['device', 'name', "CONCAT('many-', s.seq)", {}],
        [
          'box',
          'serial',
          "CONCAT('MANY-', s.seq)",
          { mac: 'UNHEX(LPAD(HEX(0x028800000000 + s.seq), 12, 0))', device_id: 'd.id' },
        ],
      ] as const) {
        const columns = await tx.select<{ name: string }>(
          "SELECT column_name AS name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ? AND column_name <> 'id' AND is_generated = 'NEVER'",
          [table],
        );
        const values: Record<string, string> = {
          natural_key: `LOWER(${named})`,
          sort_key: `LOWER(${named})`,
          [key]: named,
          ...own,
        };
        const join = table === 'box' ? "JOIN device d ON d.natural_key = CONCAT('many-', s.seq)" : '';
        const like =
          table === 'box' ? 'o.device_id = (SELECT id FROM device WHERE natural_key = ?)' : 'o.natural_key = ?';
        await tx.execute(
          `INSERT INTO \`${table}\` (${columns.map(({ name }) => `\`${name}\``).join(', ')})
           SELECT ${columns.map(({ name }) => values[name] ?? `o.\`${name}\``).join(', ')}
           FROM \`${table}\` o JOIN seq_1_to_${count} s ${join} WHERE ${like}`,
          [model],
        );
      }
    });
  } finally {
    await store.sequelize.close();
  }
}
