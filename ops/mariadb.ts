/** A MariaDB server of our own, in a folder of the project. Never one that happens to run already. */
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { connect, createServer } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join, resolve } from 'node:path';

export interface Mariadb {
  socket: string;
  port: number;
  user: string;
  password: string;
  pid: number;
  /** Stops it in order. */
  stop: () => Promise<void>;
  /** Resolves when it has ended, for whatever reason. */
  ended: Promise<void>;
}

export interface MariadbOptions {
  folder: string;
  databases: string[];
  /** Faster and not durable: for tests alone. */
  throwaway?: boolean;
  /** For pages of the database: a large estate wants more than the 128 MiB that are usual. */
  memoryMiB?: number;
}

export async function freePort(): Promise<number> {
  return new Promise((done, fail) => {
    const probe = createServer();
    probe.once('error', fail);
    probe.listen(0, '127.0.0.1', () => {
      const address = probe.address();
      probe.close(() => done(typeof address === 'object' && address ? address.port : 0));
    });
  });
}

export async function startMariadb({ folder, databases, throwaway, memoryMiB }: MariadbOptions): Promise<Mariadb> {
  const root = resolve(folder);
  const data = join(root, 'data');
  mkdirSync(root, { recursive: true });
  const socket = socketPath(root);
  const pidFile = join(root, 'mariadb.pid');
  const log = join(root, 'mariadb.log');
  refuseSecondServer(pidFile, socket, root);
  // Sorted lists and the like are spilled here, not where everybody's temporary files lie.
  const spill = join(root, 'tmp');
  rmSync(spill, { recursive: true, force: true });
  mkdirSync(spill, { recursive: true });
  const user = userInfo().username;
  if (!existsSync(join(data, 'mysql'))) {
    rmSync(data, { recursive: true, force: true });
    const install = spawnSync(
      'mariadb-install-db',
      [
        '--no-defaults',
        `--datadir=${data}`,
        `--tmpdir=${spill}`,
        `--user=${user}`,
        '--auth-root-authentication-method=socket',
        `--auth-root-socket-user=${user}`,
        '--skip-test-db',
        '--skip-name-resolve',
      ],
      { encoding: 'utf8' },
    );
    if (install.status !== 0) throw new Error(`mariadb-install-db failed:\n${install.stdout}\n${install.stderr}`);
  }
  const password = keptPassword(join(root, 'password'));
  const init = join(root, 'init.sql');
  writeFileSync(init, initSql(databases, password), { mode: 0o600 });
  rmSync(socket, { force: true });
  const port = await freePort();
  const args = [
    '--no-defaults',
    `--datadir=${data}`,
    `--tmpdir=${spill}`,
    `--socket=${socket}`,
    `--pid-file=${pidFile}`,
    `--port=${port}`,
    '--bind-address=127.0.0.1',
    '--skip-name-resolve',
    '--skip-log-bin',
    '--performance-schema=OFF',
    '--character-set-server=utf8mb4',
    '--max-connections=300',
    '--max-allowed-packet=64M',
    `--init-file=${init}`,
    `--log-error=${log}`,
    ...(userInfo().uid === 0 ? ['--user=root'] : []),
    ...(throwaway
      ? ['--innodb-flush-log-at-trx-commit=2', '--innodb-doublewrite=OFF', '--innodb-log-file-size=16M']
      : []),
    ...(memoryMiB === undefined
      ? []
      : [`--innodb-buffer-pool-size=${memoryMiB}M`, `--innodb-log-file-size=${Math.max(96, memoryMiB / 4)}M`]),
  ];
  // The kernel ends the server when its parent is gone, however that went.
  const child = spawn('setpriv', ['--pdeathsig', 'TERM', 'mariadbd', ...args], {
    stdio: 'ignore',
    env: { ...process.env, TZ: 'UTC' },
    detached: true,
  });
  const ended = new Promise<void>((done) => child.once('exit', () => done()));
  await ready(child, socket, log);
  const stop = async () => {
    child.kill('SIGTERM');
    await ended;
  };
  return { socket, port, user: 'zpine', password, pid: child.pid ?? 0, stop, ended };
}

/** A socket's path has at most 107 characters; a deep folder gets a short one elsewhere. */
function socketPath(root: string): string {
  const near = join(root, 'mariadb.sock');
  if (near.length <= 100) return near;
  return join(tmpdir(), `zpine-${createHash('sha256').update(root).digest('hex').slice(0, 16)}.sock`);
}

function refuseSecondServer(pidFile: string, socket: string, root: string): void {
  if (!existsSync(pidFile) || !existsSync(socket)) return;
  const pid = Number(readFileSync(pidFile, 'utf8').trim());
  try {
    process.kill(pid, 0);
    if (readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(root))
      throw new Running(`the database in ${root} runs already (process ${pid}): is it started in another window?`);
  } catch (error) {
    if (error instanceof Running) throw error;
  }
}
class Running extends Error {}

function keptPassword(path: string): string {
  if (existsSync(path)) return readFileSync(path, 'utf8').trim();
  const password = randomBytes(24).toString('base64url');
  writeFileSync(path, password, { mode: 0o600 });
  chmodSync(path, 0o600);
  return password;
}

/** An init file takes one statement a line. */
function initSql(databases: string[], password: string): string {
  const lines = databases.map(
    (name) => `CREATE DATABASE IF NOT EXISTS \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;`,
  );
  for (const host of ['localhost', '127.0.0.1']) {
    lines.push(`CREATE USER IF NOT EXISTS 'zpine'@'${host}' IDENTIFIED BY '${password}';`);
    lines.push(`GRANT ALL PRIVILEGES ON \`zpine%\`.* TO 'zpine'@'${host}';`);
  }
  return `${lines.join('\n')}\n`;
}

/** The greeting on the socket, and no other sign, says that it is ready. */
async function ready(child: ChildProcess, socket: string, log: string): Promise<void> {
  for (let waited = 0; waited < 60_000; waited += 50) {
    if (child.exitCode !== null) throw new Error(`MariaDB did not start; see ${log}`);
    if (await greets(socket)) return;
    await new Promise((next) => setTimeout(next, 50));
  }
  throw new Error(`MariaDB did not get ready within a minute; see ${log}`);
}

function greets(socket: string): Promise<boolean> {
  return new Promise((done) => {
    const probe = connect(socket);
    const end = (answer: boolean) => {
      probe.destroy();
      done(answer);
    };
    probe.once('data', () => end(true));
    probe.once('error', () => end(false));
    probe.setTimeout(500, () => end(false));
  });
}
