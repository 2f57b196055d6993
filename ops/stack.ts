/** A whole service on a throwaway database, for tests, pictures and measurements. */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, statfsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Client } from '@zpine/contract/client';
import { roles, type Role } from '@zpine/contract/roles';
import { startMariadb, type Mariadb } from './mariadb.ts';

export const PASSWORD = 'only for the throwaway stack';

export interface TestService {
  url: string;
  pid: number;
  /** Ends the process with this signal and waits for it. */
  stop: (signal?: NodeJS.Signals) => Promise<void>;
}

/** A MariaDB in a folder that goes away with it. */
/** As much room a throwaway database may take. */
const ROOM = 6 * 1024 ** 3;

/** What is thrown away is made in memory, where there is room: to make and drop its tables is most of what it does. */
function placeInMemory(): string | undefined {
  const place = '/dev/shm';
  try {
    const { bavail, bsize } = statfsSync(place);
    return bavail * bsize > ROOM ? place : undefined;
  } catch {
    return undefined;
  }
}

export async function throwawayMariadb(databases: string[] = []): Promise<Mariadb> {
  const folder = mkdtempSync(join(placeInMemory() ?? tmpdir(), 'zpine-'));
  const database = await startMariadb({ folder, databases, throwaway: true });
  const stop = async () => {
    await database.stop();
    rmSync(folder, { recursive: true, force: true });
  };
  return { ...database, stop };
}

/** One key for all throwaway stacks of this process. */
export const keyFile = join(tmpdir(), `zpine-key-${process.pid}`);
/** And one folder for the contents of images. */
export const imageFolder = join(tmpdir(), `zpine-images-${process.pid}`);
process.on('exit', () => {
  for (const file of [keyFile, `${keyFile}.boot.pem`]) rmSync(file, { force: true });
  rmSync(imageFolder, { recursive: true, force: true });
});

export const databaseEnv = (database: Mariadb, name: string): Record<string, string> => ({
  ZPINE_DATABASE_SOCKET: database.socket,
  ZPINE_DATABASE_USER: database.user,
  ZPINE_DATABASE_PASSWORD: database.password,
  ZPINE_DATABASE_NAME: name,
  ZPINE_KEY_FILE: keyFile,
  ZPINE_IMAGE_FOLDER: imageFolder,
});

const ended = (child: ReturnType<typeof spawn>): Promise<number> =>
  new Promise((done) => child.once('exit', (code) => done(code ?? 1)));

/** Makes one user a role, named as the role; each takes a program of its own, and its time. */
export async function makeUsers(env: Record<string, string>, wanted: readonly Role[] = roles): Promise<void> {
  for (const role of wanted) {
    const child = spawn(process.execPath, ['dist/service.js', 'user', role, role], {
      env: { ...process.env, ...env },
      stdio: ['pipe', 'ignore', 'inherit'],
    });
    child.stdin.end(PASSWORD);
    if ((await ended(child)) !== 0) throw new Error(`the user ${role} was not made`);
  }
}

let nets = 0;
/** Stretches that one process of a test run has for itself, behind those of its siblings. */
const STRETCHES = 50;
const seat = Number(process.env.ZPINE_TEST_SEAT ?? 0);

/** A stretch of loopback of its own for booting devices, so that stacks side by side do not meet. */
export function bootNet(): { env: Record<string, string>; dialMap: string[] } {
  const net = 100 + seat * STRETCHES + ((process.ppid + (nets += 1)) % STRETCHES);
  // A VRF of its own has its part of the same stretch.
  const dialMap = [`default 10.77.0.0/16 127.${net}.0.0/16 10000`, `shore 10.77.98.0/24 127.${net}.98.0/24 10000`];
  return {
    env: {
      ZPINE_BOOT_ADDRESS: '10.77.0.10',
      ZPINE_BOOT_HTTPS_PORT: '443',
      ZPINE_IMAGE_FOLDER: imageFolder,
      ZPINE_DIAL_MAP: dialMap.join(', '),
    },
    dialMap,
  };
}

export async function startBuiltService(env: Record<string, string>): Promise<TestService> {
  const child = spawn(process.execPath, ['dist/service.js'], {
    env: { ...process.env, ZPINE_LOG_LEVEL: 'error', ZPINE_LISTEN_PORT: '0', ...env },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const exit = ended(child);
  const url = await new Promise<string>((done, fail) => {
    child.once('message', (message) => done((message as { url: string }).url));
    void exit.then((code) => fail(new Error(`the service ended with status ${code}`)));
  });
  const stop = async (signal: NodeJS.Signals = 'SIGTERM') => {
    child.kill(signal);
    await exit;
  };
  return { url, pid: child.pid ?? 0, stop };
}

/** A token for a role's user, by way of a session. */
export async function tokenFor(url: string, role: Role): Promise<string> {
  const response = await fetch(`${url}/api/v1/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ name: role, password: PASSWORD }),
  });
  if (!response.ok) throw new Error(`${role} could not sign in: ${await response.text()}`);
  const cookie = response.headers.get('set-cookie')?.split(';')[0] ?? '';
  const made = await fetch(`${url}/api/v1/tokens`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', Cookie: cookie },
    body: JSON.stringify({ title: 'test' }),
  });
  return ((await made.json()) as { secret: string }).secret;
}

export const clientFor = async (url: string, role: Role): Promise<Client> =>
  new Client({ url, token: await tokenFor(url, role), via: 'api' });
