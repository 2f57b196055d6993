/** Two network namespaces with a cable between them, and the service inside one of them. */
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { keyFile } from '../../ops/stack.ts';
import type { TestBench } from '../service.ts';

export const sh = (...args: string[]): string =>
  execFileSync(args[0] ?? '', args.slice(1), { encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });
export const inside = (space: string, ...args: string[]): string => sh('ip', 'netns', 'exec', space, ...args);

/** Where its API listens, on the loopback of its own space. */
export const PORT = 7780;

export interface Wire {
  server: { space: string; link: string; address: string };
  client: { space: string; link: string; mac: string };
}

/** Why it cannot be made here, if it cannot. `programs`: what has to be there. */
export function obstacle({ server, client }: Wire, programs: readonly string[]): string | undefined {
  try {
    for (const { space } of [server, client]) sh('ip', 'netns', 'add', space);
    const ends = ['netns', server.space, 'type', 'veth', 'peer', 'name', client.link, 'netns', client.space];
    sh('ip', 'link', 'add', server.link, ...ends, 'address', client.mac);
    for (const { space, link } of [server, client]) {
      inside(space, 'ip', 'link', 'set', 'lo', 'up');
      inside(space, 'ip', 'link', 'set', link, 'up');
    }
    inside(server.space, 'ip', 'address', 'add', `${server.address}/24`, 'dev', server.link);
    for (const program of programs) inside(client.space, 'which', program);
    return undefined;
  } catch (error) {
    return String(error instanceof Error ? error.message : error).split('\n')[0];
  }
}

export function taken({ server, client }: Wire): void {
  for (const { space } of [server, client]) {
    try {
      sh('ip', 'netns', 'delete', space);
    } catch {
      // It was never made.
    }
  }
}

/** The records are made by an instance outside; the one that answers runs inside, on the same database. */
export async function serviceInside({ server }: Wire, bench: TestBench): Promise<ChildProcess> {
  const service = spawn('ip', ['netns', 'exec', server.space, process.execPath, 'dist/service.js'], {
    env: {
      PATH: process.env.PATH,
      ZPINE_DATABASE_SOCKET: process.env.ZPINE_TEST_SOCKET,
      ZPINE_DATABASE_PASSWORD: process.env.ZPINE_TEST_PASSWORD,
      ZPINE_DATABASE_NAME: bench.databaseName,
      ZPINE_KEY_FILE: keyFile,
      ZPINE_LISTEN_PORT: String(PORT),
      ZPINE_LOG_LEVEL: 'warn',
      ZPINE_BOOT_ADDRESS: server.address,
      ZPINE_BOOT_BROADCAST: 'true',
    },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  await new Promise<void>((done, fail) => {
    service.once('message', () => done());
    service.once('exit', (code) => fail(new Error(`the service ended with status ${code}`)));
  });
  return service;
}

export async function stopped(child: ChildProcess | undefined): Promise<void> {
  if (!child || child.exitCode !== null) return;
  const ended = new Promise((done) => child.once('exit', done));
  child.kill('SIGTERM');
  await ended;
}
