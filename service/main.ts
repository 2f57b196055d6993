import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { faultsOf } from '@zpine/contract/faults';
import { verbRoutes } from '@zpine/contract/routes';
import { addUser } from './app/access/users.ts';
import { ConfigFault, readConfig } from './config.ts';
import { openStore, startService } from './service.ts';
import { isAway } from './store/database.ts';
import { migrate } from './store/migrate.ts';
import { run } from './store/tx.ts';

const here = dirname(fileURLToPath(import.meta.url));
const { version } = JSON.parse(readFileSync(join(here, '..', 'package.json'), 'utf8')) as { version: string };

/** `user NAME ROLE [TITLE]`: makes a user; the password comes on standard input. */
async function makeUser([name = '', role = '', title = '']: string[]): Promise<void> {
  const body = verbRoutes['user.add'].body.safeParse({
    name,
    role,
    ...(title ? { title } : {}),
    password: await readAll(),
  });
  if (!body.success) throw Refusal.of(faultsOf(body.error, { name, role }, ['name', 'role', 'title', 'password']));
  const store = openStore(readConfig(process.env));
  await migrate(store);
  await run(store, { name: 'console', via: 'service' }, 'user.add', (tx) => addUser(tx, body.data));
  await store.sequelize.close();
  process.stdout.write(`${name} may sign in as ${role}\n`);
}

async function readAll(): Promise<string> {
  let text = '';
  for await (const chunk of process.stdin) text += String(chunk);
  return text.replace(/\r?\n$/, '');
}

/** For so long requests under way may go on when the service is told to stop. */
const STOP_MS = 12_000;

async function main(): Promise<void> {
  const [command, ...args] = process.argv.slice(2);
  if (command === 'user') return makeUser(args);
  const config = readConfig(process.env);
  const log = pino({
    level: config.logLevel,
    base: null,
    redact: ['req.headers.authorization', 'req.headers.cookie'],
    ...(config.logPretty
      ? { transport: { target: 'pino-pretty', options: { translateTime: 'HH:MM:ss', ignore: 'pid,hostname' } } }
      : {}),
  });
  const console = join(here, 'console');
  const service = await startService(config, log, version, existsSync(console) ? console : undefined);
  process.send?.({ url: service.url });
  let stopping = false;
  const stop = () => {
    if (stopping) return;
    stopping = true;
    // A unit of work that takes longer is broken off: the database takes it back.
    setTimeout(() => process.exit(0), STOP_MS).unref();
    void service.stop().then(() => process.exit(0));
  };
  for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP'] as const) process.on(signal, stop);
}

/** What a person at the terminal reads. */
function wordsOf(error: unknown): string {
  if (error instanceof ConfigFault) return error.message;
  if (error instanceof Refusal) {
    const problem = problemOf(error);
    return (problem.errors ?? []).map((e) => `${e.pointer.slice(1)}: ${e.detail}`).join('\n') || problem.detail;
  }
  const { code, address, port } = error as { code?: string; address?: string; port?: number };
  if (code === 'EACCES' && port !== undefined)
    return `port ${port} of ${address} may not be opened: ports below 1024 need the right to`;
  if (code === 'EADDRINUSE') return `port ${port} of ${address} is taken by another program`;
  if (code === 'EADDRNOTAVAIL')
    return `this machine has no address ${address}: see ZPINE_BOOT_ADDRESS and ZPINE_DIAL_MAP`;
  if (isAway(error)) return `the database is not reached: ${(error as Error).message}`;
  return error instanceof Error ? (error.stack ?? error.message) : String(error);
}

main().catch((error: unknown) => {
  process.stderr.write(`zealous-pine: ${wordsOf(error)}\n`);
  process.exit(1);
});
