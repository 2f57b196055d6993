/** `./run demo`, `./run serve`, `./run user`: the database, the service and, for the demo, its data. */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createSocket } from 'node:dgram';
import { createServer } from 'node:net';
import { resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { Client } from '@zpine/contract/client';
import { loadDemo } from '@zpine/demo/load';
import { labCommand } from './lab.ts';
import { freePort, startMariadb, type Mariadb } from './mariadb.ts';

const PREFERRED_PORT = 7780;
/** Where the databases and what goes with them are kept. */
// Set to nothing is not set: that would be the root of the machine.
const STATE = process.env.ZPINE_STATE || '.pine';
const QUAY_SITES = ['ard', 'cob', 'ske'];
const QUAY_DAYS = 60;
const demoUsers = [
  { name: 'm.lind', title: 'Maren Lind', role: 'admin' },
  { name: 'j.moe', title: 'Jon Moe', role: 'engineer' },
  { name: 'quay', title: 'Technician on the quay', role: 'installer' },
  { name: 'guest', title: 'Guest', role: 'viewer' },
] as const;

const [command = '', ...args] = process.argv.slice(2);

const say = (text: string) => process.stdout.write(`${text}\n`);

interface Running {
  database: Mariadb;
  service?: ChildProcess;
  lab?: ChildProcess;
  /** Set once the end is wanted. */
  stopping?: boolean;
}

/** Stops what was started, in order, and ends with the status. */
async function stopAll(running: Running, status: number): Promise<never> {
  const { service, lab, database } = running;
  running.stopping = true;
  for (const child of [lab, service]) {
    if (!child || child.exitCode !== null || child.signalCode !== null) continue;
    const ended = new Promise((done) => child.once('exit', done));
    child.kill('SIGTERM');
    await ended;
  }
  await database.stop();
  process.exit(status);
}

function environment(database: Mariadb, name: string): NodeJS.ProcessEnv {
  return {
    ...process.env,
    ZPINE_DATABASE_SOCKET: database.socket,
    ZPINE_DATABASE_USER: database.user,
    ZPINE_DATABASE_PASSWORD: database.password,
    ZPINE_DATABASE_NAME: name,
  };
}

/** Starts the service; the kernel ends it when this process is gone. */
async function startService(env: NodeJS.ProcessEnv): Promise<{ child: ChildProcess; url: string }> {
  const child = spawn('setpriv', ['--pdeathsig', 'TERM', process.execPath, 'dist/service.js'], {
    env,
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    detached: true,
  });
  const url = await new Promise<string>((done, fail) => {
    child.once('message', (message) => done((message as { url: string }).url));
    child.once('exit', (code) => fail(new Error(`the service ended with status ${code} before it was ready`)));
  });
  return { child, url };
}

/** Makes a user through the service's own command, which takes the password from standard input. */
function makeUser(
  env: NodeJS.ProcessEnv,
  name: string,
  role: string,
  title: string,
  password: string,
): Promise<number> {
  const child = spawn(process.execPath, ['dist/service.js', 'user', name, role, title], {
    env,
    stdio: ['pipe', 'inherit', 'inherit'],
  });
  child.stdin.end(password);
  return new Promise((done) => child.once('exit', (code) => done(code ?? 1)));
}

function keptDemoPassword(): string {
  const path = `${STATE}/demo/sign-in`;
  if (existsSync(path)) return readFileSync(path, 'utf8').trim();
  const password = `ferry-${randomBytes(4).toString('hex')}`;
  writeFileSync(path, password, { mode: 0o600 });
  return password;
}

async function portFor(): Promise<number> {
  if (process.env.ZPINE_LISTEN_PORT) return Number(process.env.ZPINE_LISTEN_PORT);
  const taken = await new Promise<boolean>((done) => {
    const probe = createServer();
    probe.once('error', () => done(true));
    probe.listen(PREFERRED_PORT, '127.0.0.1', () => probe.close(() => done(false)));
  });
  return taken ? freePort() : PREFERRED_PORT;
}

async function demo(): Promise<void> {
  const unknown = args.filter((arg) => !['--fresh', '--until-served'].includes(arg));
  if (unknown.length > 0) return usage(`demo does not know ${unknown.join(' ')}`);
  if (args.includes('--fresh')) rmSync(`${STATE}/demo`, { recursive: true, force: true });
  const database = await startMariadb({ folder: `${STATE}/demo`, databases: ['zpine_demo'] });
  const running: Running = { database };
  watch(running);
  const net = await freeNet();
  const mailPort = await freePort();
  const env = {
    ZPINE_LOG_LEVEL: 'warn',
    ZPINE_LOG_PRETTY: 'true',
    ZPINE_ORGANISATION: 'Brackwater Ferries',
    ZPINE_KEY_FILE: `${STATE}/demo/key`,
    ZPINE_IMAGE_FOLDER: `${STATE}/demo/images`,
    ZPINE_BOOT_ADDRESS: BOOT_ADDRESS,
    ZPINE_DIAL_MAP: net,
    ZPINE_MAIL_SERVER: `smtp://127.0.0.1:${mailPort}`,
    ZPINE_MAIL_FROM: 'Zealous Pine <pine@brackwater.example>',
    ZPINE_MAIL_GATHER_SECONDS: '5',
    ...environment(database, 'zpine_demo'),
    ZPINE_LISTEN_PORT: String(await portFor()),
  };
  const { child, url } = await startService(env);
  running.service = child;
  watchService(running);
  const password = keptDemoPassword();
  if (!existsSync(`${STATE}/demo/loaded`)) {
    const [first, ...others] = demoUsers;
    if ((await makeUser(env, first.name, first.role, first.title, password)) !== 0) return stopAll(running, 1);
    const token = await signInForToken(url, 'm.lind', password);
    const client = new Client({ url, token, via: 'api' });
    for (const user of others) await client.call('user.add', { body: { ...user, password } });
    const count = await loadDemo(client, say);
    // An installer acts where somebody says so, and for a while.
    const sitesUntil = new Date(Date.now() + QUAY_DAYS * 86_400_000).toISOString();
    await client.call('user.edit', { params: { name: 'quay' }, body: { sites: QUAY_SITES, sitesUntil } });
    say(`Brackwater Ferries is loaded: ${count} records`);
    writeFileSync(`${STATE}/demo/loaded`, new Date().toISOString());
  }
  const lab = await startLab(net, mailPort);
  running.lab = lab.child;
  if (args.includes('--until-served')) return untilServed(running, url, password);
  say('');
  say(`Zealous Pine is up.   console   ${url}`);
  say(`                      sign in   m.lind / ${password}   (also j.moe, quay and guest, with less to do)`);
  say(`                      CLI       ./zpine sign-in ${url} --user m.lind`);
  say('                      lab       ./run lab list   (simulated switches: power, memory, faults)');
  say('Ctrl-C stops everything.');
}

/** Where booting devices of the demo find the service, and how their addresses are reached on loopback. */
const BOOT_ADDRESS = '10.77.0.10';
const FIRST_NET = 77;
const NETS = 100;
const CLAIM_PORT = 10_066;

/** A stretch of loopback that no other demo on this machine uses. */
async function freeNet(): Promise<string> {
  for (let net = FIRST_NET; net < FIRST_NET + NETS; net += 1) {
    // Held until this process ends: two demos that start at the same time find different stretches.
    const claimed = await new Promise<boolean>((done) => {
      const claim = createSocket('udp4');
      claim.once('error', () => done(false));
      claim.bind(CLAIM_PORT, `127.${net}.0.10`, () => {
        claim.unref();
        done(true);
      });
    });
    // The shore line is a network of its own, and has its part of the same stretch.
    if (claimed) return `default 10.77.0.0/16 127.${net}.0.0/16 10000, crossing 10.77.91.0/24 127.${net}.91.0/24 10000`;
  }
  throw new Error('no stretch of loopback is free for booting devices');
}
const SERVED = ['ard-acc-1', 'cob-acc-1', 'cob-xr-1', 'cob-acc-2'];
const SERVED_SECONDS = '120';

/** The simulated devices, in a process of their own. */
async function startLab(net: string, mailPort: number): Promise<{ child: ChildProcess }> {
  const child = spawn(
    'setpriv',
    [
      '--pdeathsig',
      'TERM',
      process.execPath,
      'dist/lab.js',
      'demo/lab.yaml',
      `${STATE}/demo/lab`,
      net,
      String(mailPort),
    ],
    { stdio: ['ignore', 'inherit', 'inherit', 'ipc'], detached: true },
  );
  await new Promise<void>((done, fail) => {
    child.once('message', () => done());
    child.once('exit', (code) => fail(new Error(`the lab ended with status ${code} before it was ready`)));
  });
  return { child };
}

/** Prints the milestones as they come, by the command line's own watching, and ends with its status. */
async function untilServed(running: Running, url: string, password: string): Promise<void> {
  const token = await signInForToken(url, 'm.lind', password);
  const child = spawn(
    process.execPath,
    ['dist/zpine.js', 'arrival', 'watch', ...SERVED, '--until-served', '--limit', SERVED_SECONDS],
    {
      env: { ...process.env, ZPINE_URL: url, ZPINE_TOKEN: token },
      stdio: ['ignore', 'inherit', 'inherit'],
    },
  );
  const status = await new Promise<number>((done) => child.once('exit', (code) => done(code ?? 1)));
  await stopAll(running, status);
}

async function signInForToken(url: string, name: string, password: string): Promise<string> {
  const response = await fetch(`${url}/api/v1/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ name, password }),
  });
  const cookie = response.headers.get('set-cookie')?.split(';')[0] ?? '';
  const made = await fetch(`${url}/api/v1/tokens`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', Cookie: cookie },
    body: JSON.stringify({ title: 'loading the demo', days: 1 }),
  });
  if (!made.ok) throw new Error(`the demo's user could not sign in: ${await made.text()}`);
  return ((await made.json()) as { secret: string }).secret;
}

/** The key of the service that `serve` starts, for its user command, too. */
const serveKey = (): string => process.env.ZPINE_KEY_FILE ?? `${STATE}/serve/key`;

async function serve(): Promise<void> {
  if (args.length > 0) return usage(`serve does not know ${args.join(' ')}`);
  const database = await startMariadb({ folder: `${STATE}/serve`, databases: ['zpine'] });
  const running: Running = { database };
  watch(running);
  const port = await portFor();
  const { child, url } = await startService({
    ...environment(database, 'zpine'),
    ZPINE_LISTEN_PORT: String(port),
    ZPINE_KEY_FILE: serveKey(),
    ZPINE_IMAGE_FOLDER: process.env.ZPINE_IMAGE_FOLDER ?? `${STATE}/serve/images`,
  });
  running.service = child;
  watchService(running);
  say(
    `Zealous Pine is up at ${url}. The first administrator is made by ./run user NAME admin, in another window. Ctrl-C stops everything.`,
  );
  writeFileSync(`${STATE}/serve/database`, JSON.stringify({ socket: database.socket }));
}

/** Makes a user in the database of `serve`, whether that runs or not. */
async function user(): Promise<void> {
  const [name = '', role = '', title = ''] = args;
  if (!name || !role) return usage('user needs a NAME and a ROLE: viewer, installer, engineer or admin');
  const password = process.stdin.isTTY ? await askTwice() : (await readAll()).replace(/\r?\n$/, '');
  process.stderr.write(`the database of ./run serve, in ${resolve(STATE)}/serve (a demo has users of its own)\n`);
  const own = await startMariadb({ folder: `${STATE}/serve`, databases: ['zpine'] }).catch(() => undefined);
  const env = { ...(own ? environment(own, 'zpine') : runningEnvironment()), ZPINE_KEY_FILE: serveKey() };
  const status = await makeUser(env, name, role, title, password);
  await own?.stop();
  process.exit(status);
}

function runningEnvironment(): NodeJS.ProcessEnv {
  const { socket } = JSON.parse(readFileSync(`${STATE}/serve/database`, 'utf8')) as { socket: string };
  const password = readFileSync(`${STATE}/serve/password`, 'utf8').trim();
  return {
    ...process.env,
    ZPINE_DATABASE_SOCKET: socket,
    ZPINE_DATABASE_USER: 'zpine',
    ZPINE_DATABASE_PASSWORD: password,
    ZPINE_DATABASE_NAME: 'zpine',
  };
}

async function askTwice(): Promise<string> {
  const password = await askPassword('password');
  if ((await askPassword('once more')) === password) return password;
  process.stderr.write('the two are not the same; nobody was added\n');
  process.exit(1);
}

/** Asks on the terminal without showing what is typed. */
async function askPassword(words: string): Promise<string> {
  process.stderr.write(`${words}: `);
  const silent = new (await import('node:stream')).Writable({ write: (_chunk, _encoding, done) => done() });
  const ask = createInterface({ input: process.stdin, output: silent, terminal: true });
  const password = await ask.question('');
  ask.close();
  process.stderr.write('\n');
  return password;
}

async function readAll(): Promise<string> {
  let text = '';
  for await (const chunk of process.stdin) text += String(chunk);
  return text;
}

/** Ends everything when asked to, or when the database went away for good. */
function watch(running: Running): void {
  const stop = (status: number) => {
    if (!running.stopping) void stopAll(running, status);
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => stop(0));
  void running.database.ended.then(() => {
    if (running.stopping) return;
    say(`the database ended by itself; see mariadb.log in ${STATE}`);
    stop(1);
  });
}

function watchService(running: Running): void {
  running.service?.once('exit', (code) => {
    if (code === 0 || running.stopping) return;
    say(`the service ended with status ${code}`);
    void stopAll(running, 1);
  });
}

function usage(text: string): void {
  process.stderr.write(`${text}\n`);
  process.exit(2);
}

const commands: Record<string, () => Promise<void>> = {
  demo,
  serve,
  user,
  lab: () => labCommand(args, `${STATE}/demo/lab/control`),
};
const chosen = commands[command];
if (!chosen) usage(`no command '${command}'`);
else
  await chosen().catch((error: unknown) => {
    process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`);
    process.exit(1);
  });
