/** A service in this process, on a database of its own, with a user of every role. */
import { pino } from 'pino';
import { Client, RefusedError } from '@zpine/contract/client';
import type { Problem } from '@zpine/contract/errors';
import { type Role, roles } from '@zpine/contract/roles';
import { loadDemo } from '@zpine/demo/load';
import { bootNet, imageFolder, keyFile, PASSWORD } from '../ops/stack.ts';
import { hashPassword } from '../service/app/access/passwords.ts';
import { addToken } from '../service/app/access/tokens.ts';
import type { User } from '../service/app/access/who.ts';
import { readConfig, type Config } from '../service/config.ts';
import { startService, type Service } from '../service/service.ts';
import { openStore } from '../service/stores.ts';
import { expectSound } from './sound.ts';
import { migrate } from '../service/store/migrate.ts';
import type { Actor, Store } from '../service/store/store.ts';
import { transact } from '../service/store/transact.ts';

export const actor: Actor = { name: 'tester', via: 'service' };

let made = 0;
const newDatabaseName = (): string => `zpine_test_${process.pid}_${(made += 1)}`;

export const testConfig = (name: string, more: Record<string, string> = {}): Config =>
  readConfig({
    ZPINE_DATABASE_SOCKET: process.env.ZPINE_TEST_SOCKET,
    ZPINE_DATABASE_PASSWORD: process.env.ZPINE_TEST_PASSWORD,
    ZPINE_DATABASE_NAME: name,
    ZPINE_LISTEN_PORT: '0',
    ZPINE_LOG_LEVEL: 'silent',
    ZPINE_KEY_FILE: keyFile,
    ZPINE_IMAGE_FOLDER: imageFolder,
    ...more,
  });

/** An empty database, not yet migrated. */
export async function emptyDatabase(): Promise<string> {
  const name = newDatabaseName();
  // Any of the databases that are granted will do to make another one from.
  const { sequelize } = openStore(testConfig('information_schema'));
  await sequelize.query(`CREATE DATABASE \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`);
  await sequelize.close();
  return name;
}

/** A migrated database without a service on it. */
export async function testStore(): Promise<Store> {
  const store = openStore(testConfig(await emptyDatabase()));
  await migrate(store);
  return store;
}

export interface TestBench extends Service {
  clients: Record<Role, Client>;
  tokens: Record<Role, string>;
  databaseName: string;
}

/** What a password becomes takes long on purpose: it is worked out once for all benches of this process. */
let hashed: string | undefined;

/** A user of every role, with a token each. */
async function peopleOf(store: Store): Promise<Record<Role, string>> {
  const tokens = {} as Record<Role, string>;
  await transact(store, actor, 'user.add', async (tx) => {
    for (const role of roles) {
      hashed ??= await hashPassword(PASSWORD);
      // Installers act at the sites that they are given; this one at all.
      const row = { name: role, title: null, role, password: hashed, all_sites: 1, created_at: await tx.now() };
      const [id = 0] = await tx.insertRows('user', [row]);
      const user: User = { id, name: role, title: null, role, by: 'session', session: null, token: null };
      tokens[role] = (await addToken(tx, user, { title: 'test', days: 30 })).secret;
    }
  });
  return tokens;
}

/** Stores that a suite has damaged on purpose, or left without a database: nobody holds them against their records. */
export const suites = { damaged: new WeakSet<Store>() };

/** `heard`: hears every line of the log, at its most talkative. */
export async function testService(
  more: Record<string, string> = {},
  consoleFolder?: string,
  heard?: (line: string) => void,
): Promise<TestBench> {
  return serviceOn(await emptyDatabase(), undefined, more, consoleFolder, heard);
}

/** A database with the Brackwater demo in it and a user of every role; made once, and copied for each suite. */
interface Demo {
  databaseName: string;
  tokens: Record<Role, string>;
}
let demo: Promise<Demo> | undefined;

async function makeDemo(): Promise<Demo> {
  // Its editions name the place where the service is found: it is the same in all nets.
  const { stop, clients, tokens, databaseName } = await testService(bootNet().env);
  await loadDemo(clients.admin, () => undefined);
  await stop();
  return { databaseName, tokens };
}

/** The same with the Brackwater demo in it. */
export async function demoService(
  more: Record<string, string> = {},
  consoleFolder?: string,
  heard?: (line: string) => void,
): Promise<TestBench> {
  const { databaseName, tokens } = await (demo ??= makeDemo());
  return serviceOn(await copyOf(databaseName), tokens, more, consoleFolder, heard);
}

/** Table by table, with its keys. */
async function copyOf(name: string): Promise<string> {
  const copy = await emptyDatabase();
  const store = openStore(testConfig(copy));
  await transact(store, actor, 'copy', async (tx) => {
    await tx.execute('SET FOREIGN_KEY_CHECKS = 0');
    const tables = await tx.select<{ name: string }>(
      'SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = ?',
      [name],
    );
    for (const { name: table } of tables) {
      const made = await tx.one<{ 'Create Table': string }>(`SHOW CREATE TABLE \`${name}\`.\`${table}\``);
      await tx.execute(made?.['Create Table'] ?? '');
      await tx.execute(`INSERT INTO \`${table}\` SELECT * FROM \`${name}\`.\`${table}\``);
    }
    await tx.execute('SET FOREIGN_KEY_CHECKS = 1');
  });
  await store.sequelize.close();
  return copy;
}

async function serviceOn(
  databaseName: string,
  known: Record<Role, string> | undefined,
  more: Record<string, string>,
  consoleFolder?: string,
  heard?: (line: string) => void,
): Promise<TestBench> {
  const log = heard
    ? pino({ level: 'debug' }, { write: heard })
    : pino({ level: process.env.ZPINE_TEST_LOG ?? 'silent' });
  const service = await startService(testConfig(databaseName, more), log, '0.0.0', consoleFolder);
  const tokens = known ?? (await peopleOf(service.store));
  const clients = {} as Record<Role, Client>;
  for (const role of roles) clients[role] = new Client({ url: service.url, token: tokens[role], via: 'api' });
  const stop = async () => {
    try {
      if (!suites.damaged.has(service.store)) await expectSound(service.store);
    } finally {
      await service.stop();
    }
  };
  return { ...service, stop, clients, tokens, databaseName };
}

/** The problem that a call is refused with; fails when it is not refused. */
export async function refusal(call: Promise<unknown>): Promise<Problem> {
  try {
    await call;
  } catch (error) {
    if (error instanceof RefusedError) return error.problem;
    throw error;
  }
  throw new Error('it was not refused');
}
