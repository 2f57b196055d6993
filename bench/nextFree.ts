/** The next free address: the query alone in spaces of all kinds, and whole assignments by many clients. */
import { fork } from 'node:child_process';
import { createPool, type PoolConnection } from 'mariadb';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import type { Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { addOne } from '../service/app/records/add.ts';
import { readConfig } from '../service/config.ts';
import { openStore } from '../service/stores.ts';
import { byId } from '../service/store/records.ts';
import { bytesOf, nextFree, rebuild, spaceOf, occupyNext } from '../service/store/spans.ts';
import type { Actor, Store } from '../service/store/store.ts';
import { readOnly, transact } from '../service/store/transact.ts';
import { measureInTurns, rate, ratesInTurns, type Row } from './measure.ts';

const actor: Actor = { name: 'bench', via: 'service' };
const SCATTERED = 1_000_000;
const TAKES = 100_000;
const CLIENTS = 50;
const EACH = 20;
const ROUNDS = 5;
const PREFIXES = 50;
/** Within 1.5 times of one another. */
const ALIKE = 1 / 1.5;

export async function nextFreeRows(database: Mariadb): Promise<Row[]> {
  const env = { ...databaseEnv(database, 'zpine_bench_next'), ZPINE_DATABASE_CONNECTIONS: '30' };
  await makeUsers(env);
  const service = await startBuiltService(env);
  const store = openStore(readConfig(env));
  try {
    const rows = await queries(store, database);
    const api = await clientFor(service.url, 'engineer');
    for (const cidr of ['10.3.0.0/16', '10.4.0.0/16']) await api.add('prefix', { cidr });
    const assign = (prefix: string) => api.call('address.assign', { body: { prefix } });
    const many = (of: number) => Array.from({ length: PREFIXES }, (_, i) => ({ cidr: `10.${of}.${i}.0/24` }));
    const ours = await api.addAll('prefix', many(5));
    const theirs = await api.addAll('prefix', many(6));
    const byHand = await bareServer(database);
    const single = (await api.show('prefix', '10.4.0.0/16')).id;
    await rate(10, 5, () => assign('10.3.0.0/16'));
    await rate(10, 5, () => byHand.assign(single));
    const [one, oneByHand] = await ratesInTurns(
      ROUNDS,
      () => rate(CLIENTS, EACH, () => assign('10.3.0.0/16')),
      () => rate(CLIENTS, EACH, () => byHand.assign(single)),
    );
    const [spread, spreadByHand] = await ratesInTurns(
      ROUNDS,
      () => rate(CLIENTS, EACH / 2, (client) => assign(ours[client % PREFIXES]?.key ?? '')),
      () => rate(CLIENTS, EACH / 2, (client) => byHand.assign(theirs[client % PREFIXES]?.id ?? 0)),
    );
    byHand.stop();
    return [
      ...rows,
      rateRow(
        `assignments by ${CLIENTS} clients out of one prefix: API beside a bare HTTP server with hand-written SQL`,
        one,
        oneByHand,
      ),
      rateRow(`the same out of ${PREFIXES} prefixes`, spread, spreadByHand),
    ];
  } finally {
    await store.sequelize.close();
    await service.stop();
  }
}

const rateRow = (what: string, figure: number, reference: number): Row => ({
  what,
  figure: `${figure.toFixed(0)}/s`,
  reference: `${reference.toFixed(0)}/s`,
  ratio: figure / reference,
  aim: 0.5,
});

/** The query alone: in an empty /24, and where it should take no longer. */
async function queries(store: Store, database: Mariadb): Promise<Row[]> {
  const add = (cidr: string) => transact(store, actor, 'bench', (tx) => addOne(tx, 'prefix', { cidr }));
  const query = async (cidr: string, from?: bigint) => {
    const { family, first } = mustParse(parsePrefix(cidr));
    const { id } = await transact(store, actor, 'bench', async (tx) => {
      const row = await tx.one<{ id: number }>('SELECT id FROM prefix WHERE natural_key = ?', [cidr]);
      if (!row) throw new Error(`no prefix ${cidr}`);
      return row;
    });
    const space = await readOnly(store, actor, (tx) => spaceOf(tx, Number(id), 'fixed'));
    return () => readOnly(store, actor, (tx) => nextFree(tx, space, family, from ?? first));
  };
  await add('10.1.0.0/24');
  await add('2001:db8:1::/64');
  const wide = await add('11.0.0.0/8');
  await scatter(store, wide.id, mustParse(parsePrefix(wide.cidr)).first);
  const long = await add('10.128.0.0/12');
  const begin = mustParse(parsePrefix(long.cidr)).first;
  // Somebody's long report keeps old versions of rows alive all the while.
  const pool = createPool({ ...loginOf(database), connectionLimit: 1 });
  const report = await oldView(await pool.getConnection());
  await transact(store, actor, 'bench', async (tx) => {
    for (let i = 0; i < TAKES; i += 1) await (await occupyNext(tx, long.id, 4, begin))?.done;
  });
  const spaces = [
    { what: 'an empty /24', query: await query('10.1.0.0/24') },
    {
      what: 'in a /8 with a million scattered addresses taken',
      query: await query('11.0.0.0/8', (11n << 24n) + 7_000_003n),
    },
    { what: 'in a /64', query: await query('2001:db8:1::/64') },
    {
      what: `after ${TAKES.toLocaleString('en')} takes, with an old read view open`,
      query: await query('10.128.0.0/12'),
    },
  ];
  const times = await measureInTurns(
    1500,
    spaces.map((space) => space.query),
  );
  const empty = times[0]?.median ?? Number.NaN;
  await report.commit();
  await report.release();
  await pool.end();
  return spaces.slice(1).map(({ what }, i) => {
    const median = times[i + 1]?.median ?? Number.NaN;
    return {
      what: `next free address, the query alone: ${what}, beside an empty /24`,
      figure: `${median.toFixed(3)} ms`,
      reference: `${empty.toFixed(3)} ms`,
      ratio: empty / median,
      aim: ALIKE,
    };
  });
}

const loginOf = ({ socket, user, password }: Mariadb) => ({
  socketPath: socket,
  user,
  password,
  database: 'zpine_bench_next',
  bigIntAsNumber: true,
});

async function oldView(connection: PoolConnection): Promise<PoolConnection> {
  await connection.query('START TRANSACTION WITH CONSISTENT SNAPSHOT');
  await connection.query('SELECT COUNT(*) FROM free_span');
  return connection;
}

/** Addresses here and there, with holes between them, as an estate looks after years. */
async function scatter(store: Store, prefix: number, base: bigint): Promise<void> {
  await transact(store, actor, 'bench', async (tx) => {
    const now = await tx.now();
    const rows = Array.from({ length: SCATTERED }, (_, i) => ({
      natural_key: `bench-${i}`,
      sort_key: `bench-${i}`,
      created_at: now,
      updated_at: now,
      address: bytesOf(4, base + BigInt(i * 14 + 1 + ((i * 7919) % 11))),
      address_family: 4,
      vrf_id: 1,
      prefix_id: prefix,
      shared: 0,
    }));
    await tx.insertRows('address', rows, '');
    await rebuild(tx, await byId(tx, 'prefix', prefix));
  });
}

/** The same rows behind the same row lock, through a bare HTTP server with SQL written by hand. */
async function bareServer(database: Mariadb): Promise<{ assign(prefix: number): Promise<void>; stop(): void }> {
  const { socketPath, user, password, database: name } = loginOf(database);
  const child = fork(new URL('./bareServer.ts', import.meta.url), [socketPath, user, password, name], {
    execArgv: ['--import', 'tsx'],
  });
  const url = await new Promise<string>((done) => child.once('message', (message) => done(String(message))));
  return {
    assign: async (prefix) => {
      const body = JSON.stringify({ prefix });
      const response = await fetch(url, { method: 'POST', body, headers: { 'Content-Type': 'application/json' } });
      if (!response.ok) throw new Error(await response.text());
      await response.json();
    },
    stop: () => child.disconnect(),
  };
}
