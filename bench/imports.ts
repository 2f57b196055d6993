/** An import of ten thousand devices with their interfaces, beside raw bulk inserts of the same rows into empty copies of the tables. */
import { createConnection, type Connection } from 'mariadb';
import { type Client } from '@zpine/contract/client';
import { type Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { type Row } from './measure.ts';

const NAME = 'zpine_bench_import';
const DEVICES = 10_000;
const INTERFACES = 24;
/** Rows of one statement. */
const SLICE = 500;

export async function importRows(database: Mariadb): Promise<Row[]> {
  const env = databaseEnv(database, NAME);
  await makeUsers(env);
  const service = await startBuiltService(env);
  try {
    const client = await clientFor(service.url, 'engineer');
    await client.add('site', { code: 'har' });
    await client.add('duty', { name: 'access' });
    const devices = Array.from({ length: DEVICES }, (_, i) => `bench-${i},har,access\n`);
    const interfaces = Array.from({ length: DEVICES * INTERFACES }, (_, i) => {
      const port = (i % INTERFACES) + 1;
      return `bench-${Math.floor(i / INTERFACES)},1/${port},to desk ${port}\n`;
    });
    const start = performance.now();
    await take(client, 'device', `name,site,duty\n${devices.join('')}`);
    await take(client, 'interface', `device,name,description\n${interfaces.join('')}`);
    const imported = performance.now() - start;
    const raw = await rawInserts(database, NAME, ['device', 'interface', ...ledger]);
    const records = DEVICES * (1 + INTERFACES);
    const perSecond = (milliseconds: number) =>
      `${Math.round(records / (milliseconds / 1000)).toLocaleString('en')} records/s`;
    return [
      {
        what: `import of ${DEVICES.toLocaleString('en')} devices with ${INTERFACES} interfaces each`,
        figure: perSecond(imported),
        reference: `${perSecond(raw)} by raw inserts`,
        ratio: raw / imported,
        aim: 0.2,
      },
    ];
  } finally {
    await service.stop();
  }
}

export async function take(client: Client, kind: string, text: string): Promise<void> {
  const sent = await client.upload({ kind, apply: 'true' }, new Blob([text]));
  for (;;) {
    const { state, outcome, failure } = await client.call('import.show', { params: { id: String(sent.id) } });
    if (state === 'saved') return;
    if (state === 'refused' || state === 'failed' || state === 'cancelled')
      throw new Error(`the import was ${state}: ${failure ?? outcome?.faults[0]?.detail ?? ''}`);
    await new Promise((done) => setTimeout(done, 100));
  }
}

/** What is written beside the records. */
export const ledger = ['change', 'event', 'search_term'];

/** Everything that the import wrote, written once more by hand: one transaction, many rows a statement. */
export async function rawInserts(database: Mariadb, name: string, from: string[]): Promise<number> {
  const { socket, user, password } = database;
  const connection = await createConnection({ socketPath: socket, user, password, database: name });
  try {
    const tables: { copy: string; columns: string; rows: unknown[][] }[] = [];
    for (const table of from) {
      await connection.query(`CREATE TABLE \`raw_${table}\` LIKE \`${table}\``);
      const found: Record<string, unknown>[] = await connection.query(`SELECT * FROM \`${table}\``);
      const names = Object.keys(found[0] ?? {});
      tables.push({
        copy: `raw_${table}`,
        columns: names.map((name) => `\`${name}\``).join(', '),
        rows: found.map((row) => names.map((name) => row[name])),
      });
    }
    const start = performance.now();
    await connection.beginTransaction();
    for (const { copy, columns, rows } of tables) await insertAll(connection, copy, columns, rows);
    await connection.commit();
    return performance.now() - start;
  } finally {
    await connection.end();
  }
}

async function insertAll(connection: Connection, table: string, columns: string, rows: unknown[][]): Promise<void> {
  for (let at = 0; at < rows.length; at += SLICE) {
    const slice = rows.slice(at, at + SLICE);
    const marks = slice.map((row) => `(${row.map(() => '?').join(', ')})`).join(', ');
    await connection.query(`INSERT INTO \`${table}\` (${columns}) VALUES ${marks}`, slice.flat());
  }
}
