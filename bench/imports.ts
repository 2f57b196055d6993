/** An import of ten thousand devices with their interfaces, beside raw bulk inserts of the same rows into empty copies of the tables. */
import { createConnection, type Connection } from 'mariadb';
import type { Client } from '@zpine/contract/client';
import type { Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import type { Row } from './measure.ts';

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
    const perSecond = (count: number, milliseconds: number, what: string) =>
      `${Math.round(count / (milliseconds / 1000)).toLocaleString('en')} ${what}/s`;
    const rows: Row[] = [];
    const start = performance.now();
    await take(client, 'device', `name,site,duty\n${devices.join('')}`);
    await take(client, 'interface', `device,name,description\n${interfaces.join('')}`);
    const imported = performance.now() - start;
    const raw = await rawInserts(database, NAME, ['device', 'interface', ...ledger]);
    const records = DEVICES * (1 + INTERFACES);
    rows.push({
      what: `import of ${DEVICES.toLocaleString('en')} devices with ${INTERFACES} interfaces each`,
      figure: perSecond(records, imported, 'records'),
      reference: `${perSecond(records, raw, 'records')} by raw inserts`,
      ratio: raw / imported,
      aim: 0.35,
    });
    await client.add('prefix', { cidr: '10.0.0.0/16' });
    for (const [kind, tables, text] of [
      ['address', ['address'], addressesText()],
      ['value', ['setting_value'], valuesText()],
    ] as const) {
      const since = await lastIds(database, [...tables, 'change', 'event']);
      const began = performance.now();
      // As a list that is typed or pasted is: a file waits besides for whoever takes it, however small it is.
      const { faults } = await client.call('import.run', { body: { kind, text, apply: true } });
      if (faults[0]) throw new Error(faults[0].detail);
      const took = performance.now() - began;
      const bare = await rawInserts(database, NAME, [...tables, ...ledger], since, kind);
      rows.push({
        what: `import of ${DEVICES.toLocaleString('en')} ${kind === 'value' ? 'values of settings' : 'addresses'}`,
        figure: perSecond(DEVICES, took, 'records'),
        reference: `${perSecond(DEVICES, bare, 'records')} by raw inserts`,
        ratio: bare / took,
        aim: 0.2,
      });
    }
    return rows;
  } finally {
    await service.stop();
  }
}

const addressesText = (): string =>
  `address,interface\n${Array.from({ length: DEVICES }, (_, i) => `10.0.${(i >> 8) + 1}.${i & 255},bench-${i}:1/1\n`).join('')}`;
const valuesText = (): string =>
  `setting,layer,of,value\n${Array.from({ length: DEVICES }, (_, i) => `capture.hours,device,bench-${i},${(i % 48) + 1}\n`).join('')}`;

/** How far the tables are filled. */
async function lastIds({ socket, user, password }: Mariadb, tables: readonly string[]): Promise<Map<string, number>> {
  const connection = await createConnection({ socketPath: socket, user, password, database: NAME });
  try {
    const out = new Map<string, number>();
    for (const table of tables) {
      const [row] = await connection.query<{ last: number | null }[]>(
        `SELECT MAX(${numberOf(table)}) AS last FROM \`${table}\``,
      );
      if (row && row.last !== null) out.set(table, Number(row.last));
    }
    return out;
  } finally {
    await connection.end();
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

const numberOf = (table: string): string => (table === 'change' ? 'change_set_id' : 'id');

/** What is written beside the records. */
export const ledger = ['change', 'event', 'search_term'];

/** Everything that the import wrote since, written once more by hand: one transaction, many rows a statement. */
export async function rawInserts(
  database: Mariadb,
  name: string,
  from: readonly string[],
  since: ReadonlyMap<string, number> = new Map(),
  kind?: string,
): Promise<number> {
  const { socket, user, password } = database;
  const connection = await createConnection({ socketPath: socket, user, password, database: name });
  try {
    const tables: { copy: string; columns: string; rows: unknown[][] }[] = [];
    for (const table of from) {
      await connection.query(`DROP TABLE IF EXISTS \`raw_${table}\``);
      await connection.query(`CREATE TABLE \`raw_${table}\` LIKE \`${table}\``);
      // Search terms have no number: they are told apart by their kind.
      const tests = [
        ...(since.has(table) ? [`${numberOf(table)} > ${since.get(table)}`] : []),
        ...(kind !== undefined && table === 'search_term' ? [`kind = '${kind}'`] : []),
      ];
      const found: Record<string, unknown>[] = await connection.query(
        `SELECT * FROM \`${table}\`${tests.length > 0 ? ` WHERE ${tests.join(' AND ')}` : ''}`,
      );
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
