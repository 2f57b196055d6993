/** The next free address: the query alone in an empty and in a nearly full space, and whole assignments. */
import { createPool } from 'mariadb';
import { type Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { addOne } from '../service/app/records/add.ts';
import { readConfig } from '../service/config.ts';
import { openStore } from '../service/service.ts';
import { byId } from '../service/store/records.ts';
import { bytesOf, nextFree, rebuild, spaceOf } from '../service/store/spans.ts';
import { read, run, type Actor } from '../service/store/tx.ts';
import { measure, rate, type Row } from './measure.ts';

const actor: Actor = { name: 'bench', via: 'service' };
const SCATTERED = 60_000;
const CLIENTS = 50;
const EACH = 20;

export async function nextFreeRows(database: Mariadb): Promise<Row[]> {
  const env = { ...databaseEnv(database, 'zpine_bench_next'), ZPINE_DATABASE_CONNECTIONS: '30' };
  await makeUsers(env);
  const service = await startBuiltService(env);
  const store = openStore(readConfig(env));
  try {
    const [empty, full] = await run(store, actor, 'bench', async (tx) => [
      await addOne(tx, 'prefix', { cidr: '10.1.0.0/24' }),
      await addOne(tx, 'prefix', { cidr: '10.2.0.0/16' }),
    ]);
    if (!empty || !full) throw new Error('the prefixes were not made');
    // Every address but each seventh is taken, as an estate looks after years.
    await run(store, actor, 'bench', async (tx) => {
      const now = await tx.now();
      const base = (10n << 24n) + (2n << 16n);
      const rows = Array.from({ length: SCATTERED }, (_, i) => i)
        .filter((i) => i % 7 !== 3 && i > 0)
        .map((i) => ({
          natural_key: `bench-${i}`,
          sort_key: `bench-${i}`,
          created_at: now,
          updated_at: now,
          address: bytesOf(4, base + BigInt(i)),
          address_family: 4,
          vrf_id: 1,
          prefix_id: full.id,
        }));
      await tx.insertRows('address', rows);
      await rebuild(tx, await byId(tx, 'prefix', full.id));
    });
    const query = async (id: number, at: bigint) => {
      const space = await read(store, actor, (tx) => spaceOf(tx, id, 'fixed'));
      return measure(1500, () => read(store, actor, (tx) => nextFree(tx, space, 4, at)));
    };
    const inEmpty = await query(empty.id, (10n << 24n) + (1n << 16n));
    const inFull = await query(full.id, (10n << 24n) + (2n << 16n) + 30_000n);

    const api = await clientFor(service.url, 'engineer');
    await api.add('prefix', { cidr: '10.3.0.0/16' });
    await api.add('prefix', { cidr: '10.4.0.0/16' });
    await rate(10, 5, () => api.call('address.assign', { body: { prefix: '10.3.0.0/16' } }));
    const throughApi = await rate(CLIENTS, EACH, () => api.call('address.assign', { body: { prefix: '10.3.0.0/16' } }));
    const byHand = await handWritten(database, (await api.show('prefix', '10.4.0.0/16')).id);
    return [
      {
        what: 'next free address, the query alone: nearly full /16 beside empty /24',
        figure: `${inFull.median.toFixed(3)} ms`,
        reference: `${inEmpty.median.toFixed(3)} ms`,
        ratio: inEmpty.median / inFull.median,
        aim: 1 / 1.5,
      },
      {
        what: `assignments by ${CLIENTS} clients: API beside the same transaction in SQL`,
        figure: `${throughApi.toFixed(0)}/s`,
        reference: `${byHand.toFixed(0)}/s`,
        ratio: throughApi / byHand,
        aim: 0.5,
      },
    ];
  } finally {
    await store.sequelize.close();
    await service.stop();
  }
}

/** The same rows, behind the same row lock, written by hand: what the database itself can do. */
async function handWritten(database: Mariadb, prefixId: number): Promise<number> {
  const pool = createPool({
    socketPath: database.socket,
    user: database.user,
    password: database.password,
    database: 'zpine_bench_next',
    connectionLimit: 20,
    bigIntAsNumber: true,
  });
  const work = async () => {
    const connection = await pool.getConnection();
    try {
      await connection.beginTransaction();
      const spaces = (await connection.query('SELECT id, holds FROM space WHERE prefix_id = ? ORDER BY id FOR UPDATE', [
        prefixId,
      ])) as { id: number }[];
      const [span] = (await connection.query(
        'SELECT first, last FROM free_span WHERE space_id = ? ORDER BY last LIMIT 1',
        [spaces[0]?.id],
      )) as { first: Buffer; last: Buffer }[];
      if (!span) throw new Error('full');
      const next = Buffer.from(span.first);
      next.writeUInt32BE(next.readUInt32BE(12) + 1, 12);
      for (const space of spaces)
        await connection.query('UPDATE free_span SET first = ? WHERE space_id = ? AND last = ?', [
          next,
          space.id,
          span.last,
        ]);
      const key = span.first.subarray(12).join('.');
      const made = (await connection.query(
        'INSERT INTO address (natural_key, sort_key, created_at, updated_at, address, address_family, vrf_id, prefix_id) VALUES (?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), ?, 4, 1, ?)',
        [key, key, span.first, prefixId],
      )) as { insertId: number };
      const set = (await connection.query(
        "INSERT INTO change_set (at, actor, via, action) VALUES (UTC_TIMESTAMP(3), 'bench', 'api', 'bench')",
      )) as { insertId: number };
      const image = JSON.stringify({ address: key, vrf: 1, interface: null, description: null, note: null });
      await connection.query("INSERT INTO `change` VALUES (?, 1, 'address', ?, ?, NULL, 1, NULL, ?)", [
        set.insertId,
        made.insertId,
        key,
        image,
      ]);
      await connection.query(
        "INSERT INTO event (at, kind, record_id, version) VALUES (UTC_TIMESTAMP(3), 'address', ?, 1)",
        [made.insertId],
      );
      await connection.commit();
    } finally {
      await connection.release();
    }
  };
  try {
    await rate(10, 5, work);
    return await rate(CLIENTS, EACH, work);
  } finally {
    await pool.end();
  }
}
