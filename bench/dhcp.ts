/** DHCP exchanges with leases on disk, beside a responder that stores nothing; what kills, floods and a second service do to them. */
import { fork } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { dial, parseDialRow, type DialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import type { Client } from '@zpine/contract/client';
import { dhcpLoad, type Load } from '../lab/boot/load.ts';
import { Relay } from '../lab/boot/relay.ts';
import { Wire } from '../lab/wire.ts';
import { startMariadb, type Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService, tokenFor, type TestService } from '../ops/stack.ts';
import { addLike } from './manyDevices.ts';
import { ratesInTurns, timesOf, type Row } from './measure.ts';

const NAME = 'zpine_bench_dhcp';
const DEVICES = 1000;
/** Known beside those that boot. */
const OTHERS = 99_000;
const PARALLEL = 64;
const ROUNDS = 3;
const GATEWAY = '10.78.0.1';
const OTHER_GATEWAY = '10.79.0.1';
const SERVER = '10.77.0.10';
const FLOOD_PER_SECOND = 2000;
/** Services, and the responder beside them, on stretches of loopback of their own. */
const rowsAt = (net: number): DialRow[] =>
  [
    `default 10.77.0.0/16 127.${net}.0.0/16 10000`,
    `default 10.78.0.0/16 127.${net + 1}.0.0/16 10000`,
    `default 10.79.0.0/16 127.${net + 2}.0.0/16 10000`,
  ].map((row) => mustParse(parseDialRow(row)));
const textOf = (net: number): string =>
  [77, 78, 79].map((of, i) => `default 10.${of}.0.0/16 127.${net + i}.0.0/16 10000`).join(', ');

const hex = (value: number) => value.toString(16).padStart(2, '0');
const macOf = (i: number, first = '02:66:00:00'): string => `${first}:${hex(i >> 8)}:${hex(i & 255)}`;
const identity = (i: number) => ({ mac: macOf(i), serial: `LOAD-${i}`, vendorClass: 'load' });
const clients = Array.from({ length: DEVICES }, (_, i) => identity(i));

/** A database that flushes its log at each commit, as one in earnest does. */
export async function dhcpRows(): Promise<Row[]> {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-bench-dhcp-'));
  const house = { database: await startMariadb({ folder, databases: [NAME] }), folder };
  try {
    return await measured(house);
  } finally {
    await house.database.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** A database that is killed and begun anew in its folder. */
type House = { database: Mariadb; folder: string };

async function measured(house: House): Promise<Row[]> {
  const [own, theirs, second] = [62, 66, 70];
  const env = (net: number) => ({
    ...databaseEnv(house.database, NAME),
    ZPINE_BOOT_ADDRESS: SERVER,
    ZPINE_DIAL_MAP: textOf(net),
  });
  await makeUsers(env(own));
  const services: TestService[] = [await startBuiltService(env(own))];
  const args = [...endsOf(theirs, [SERVER, GATEWAY]), String(DEVICES)];
  const responder = fork(new URL('./bareDhcp.ts', import.meta.url), args, { execArgv: ['--import', 'tsx'] });
  const relayOf = (net: number) => new Relay(GATEWAY, SERVER, new Wire(rowsAt(net)));
  const relays = [relayOf(own), relayOf(theirs), relayOf(second)] as const;
  const [relay, bareRelay, secondRelay] = relays;
  try {
    await new Promise<void>((done) => responder.once('message', () => done()));
    await enter(await clientFor(services[0]?.url ?? '', 'engineer'));
    await addLike(env(own), 'load-1', OTHERS);
    await services.pop()?.stop();
    services.push(await startBuiltService(env(own)));
    const api = await clientFor(services[0]?.url ?? '', 'engineer');
    const read = await reading(services[0]?.url ?? '');
    const exchanges = async (by: Relay): Promise<number> => {
      const load = await dhcpLoad(by, clients, { parallel: PARALLEL });
      if (load.failed > 0) throw new Error(`${load.failed} clients got no address`);
      return load.leased / load.seconds;
    };
    const [ours, bareRate] = await ratesInTurns(
      ROUNDS,
      () => exchanges(relay),
      () => exchanges(bareRelay),
    );
    const rows: Row[] = [
      {
        what: `DHCP exchanges of ${PARALLEL} clients at a time, half of them from a pool, the log flushed at each commit, beside a responder that stores nothing`,
        figure: `${ours.toFixed(0)}/s`,
        reference: `${bareRate.toFixed(0)}/s`,
        ratio: ours / bareRate,
        aim: 0.5,
      },
    ];
    rows.push(read, await waits(relay, ours));
    rows.push(await besideFlood(relay, endsOf(own, [OTHER_GATEWAY, SERVER])));
    rows.push(...(await twoServices(services, env(second), relay, secondRelay, api)));
    rows.push(await killed(services, env(own), relay));
    rows.push(await databaseKilled(house, services, relay));
    return rows;
  } finally {
    for (const one of relays) await one.close();
    responder.kill();
    for (const service of services) await service.stop();
  }
}

/** Where the DHCP ports of addresses are, each as an address and a port. */
const endsOf = (net: number, addresses: readonly string[]): string[] =>
  addresses.flatMap((one) => {
    const { address, port } = dial(rowsAt(net), 'default', { address: one, port: 67 });
    return [address, String(port)];
  });

/** Of clients that come one by one, at so many a second. */
async function spaced(relay: Relay, perSecond: number, count: number): Promise<{ p95: number; failed: number }> {
  const taken: number[] = [];
  let failed = 0;
  const begun = performance.now();
  await Promise.all(
    Array.from({ length: count }, async (_, i) => {
      await pause((1000 * i) / perSecond);
      const from = performance.now();
      const load = await dhcpLoad(relay, [identity(i % DEVICES)], { parallel: 1 });
      if (load.leased === 1) taken.push(performance.now() - from);
      else failed += 1;
    }),
  );
  if (performance.now() - begun > 120_000) throw new Error('it took too long to say anything');
  return { p95: timesOf(taken).p95, failed };
}

async function waits(relay: Relay, rate: number): Promise<Row> {
  const { p95, failed } = await spaced(relay, rate / 2, 1500);
  if (failed > 0) throw new Error(`${failed} clients got no address at half the load`);
  return {
    what: `a whole exchange at half that load, ${(DEVICES + OTHERS).toLocaleString('en')} devices known, 95th percentile; beside 20 ms`,
    figure: `${p95.toFixed(1)} ms`,
    reference: '20 ms',
    ratio: 20 / p95,
    aim: 1,
  };
}

/** What the service says of the memory that it answers from. */
async function reading(url: string): Promise<Row> {
  const token = await tokenFor(url, 'engineer');
  for (let i = 0; i < 600; i += 1) {
    const text = await (await fetch(`${url}/metrics`, { headers: { Authorization: `Bearer ${token}` } })).text();
    const figure = (name: string) => Number(new RegExp(`^zpine_boot_${name} (\\d+)`, 'm').exec(text)?.[1] ?? 0);
    const [devices, ms] = [figure('devices'), figure('read_milliseconds')];
    if (devices === DEVICES + OTHERS && ms > 0)
      return {
        what: `${devices.toLocaleString('en')} devices read into the memory that DHCP answers from; beside 10 s`,
        figure: `${(ms / 1000).toFixed(1)} s`,
        reference: '10 s',
        ratio: 10_000 / ms,
        aim: 1,
      };
    await pause(100);
  }
  throw new Error('the devices were not read within a minute');
}

/** Known devices beside random hardware addresses of another prefix. */
async function besideFlood(relay: Relay, ends: readonly string[]): Promise<Row> {
  const quiet = await spaced(relay, 100, 300);
  const flood = fork(new URL('./flood.ts', import.meta.url), [OTHER_GATEWAY, ...ends, String(FLOOD_PER_SECOND)], {
    execArgv: ['--import', 'tsx'],
  });
  await new Promise<void>((done) => flood.once('message', () => done()));
  await pause(500);
  const beside = await spaced(relay, 100, 300).finally(() => flood.kill());
  if (beside.failed > 0) throw new Error(`${beside.failed} known devices got no address beside a flood`);
  return {
    what: `a known device beside ${FLOOD_PER_SECOND} strangers a second, 95th percentile; beside the same without them, no more than three times that`,
    figure: `${beside.p95.toFixed(1)} ms`,
    reference: `${quiet.p95.toFixed(1)} ms`,
    ratio: (3 * quiet.p95) / beside.p95,
    aim: 1,
  };
}

/** Two services on one database: what each does with a second of its processor, beside one alone. */
async function twoServices(
  services: TestService[],
  env: Record<string, string>,
  relay: Relay,
  secondRelay: Relay,
  api: Client,
): Promise<Row[]> {
  const [first] = services;
  if (!first) throw new Error('no service');
  const perCpu = async (by: Relay, service: TestService): Promise<number> => {
    const before = bootSeconds(service.pid);
    const load = await dhcpLoad(by, clients, { parallel: PARALLEL });
    if (load.failed > 0) throw new Error(`${load.failed} clients got no address`);
    return load.leased / (bootSeconds(service.pid) - before);
  };
  const alone = timesOf([await perCpu(relay, first), await perCpu(relay, first), await perCpu(relay, first)]).median;
  const second = await startBuiltService(env);
  services.push(second);
  const both: number[] = [];
  for (let i = 0; i < ROUNDS; i += 1) {
    const rates = await Promise.all([perCpu(relay, first), perCpu(secondRelay, second)]);
    both.push(...rates);
  }
  const each = timesOf(both).median;
  // Killed in the middle: what it acknowledged is there, and the other goes on.
  const got = new Map<string, string>();
  const work = dhcpLoad(secondRelay, clients, {
    parallel: PARALLEL,
    firstWaitMs: 300,
    got: (mac, address) => got.set(mac, address),
  });
  await pause(300);
  await second.stop('SIGKILL');
  await work;
  services.splice(services.indexOf(second), 1);
  const lost = await missing(api, got);
  return [
    {
      what: 'exchanges for a second of its processor, of each of two services on one database; beside one alone',
      figure: `${each.toFixed(0)}`,
      reference: `${alone.toFixed(0)}`,
      ratio: each / alone,
      aim: 0.75,
    },
    kept(
      'leases that one of two services acknowledged before it was killed, and that are in the table',
      got.size,
      lost,
    ),
  ];
}

const kept = (what: string, count: number, lost: number): Row => ({
  what,
  figure: `${count - lost}`,
  reference: `${count}`,
  ratio: count === 0 ? 0 : (count - lost) / count,
  aim: 1,
});

/** The service is killed under load, and begun anew: every ACK that was heard is in the table. */
async function killed(services: TestService[], env: Record<string, string>, relay: Relay): Promise<Row> {
  const got = new Map<string, string>();
  const work: Promise<Load> = dhcpLoad(relay, clients, {
    parallel: PARALLEL,
    firstWaitMs: 300,
    got: (mac, address) => got.set(mac, address),
  });
  await pause(400);
  await services.pop()?.stop('SIGKILL');
  await work;
  const again = await startBuiltService(env);
  services.push(again);
  const lost = await missing(await clientFor(again.url, 'engineer'), got);
  return kept('leases that were acknowledged before the service was killed, and that are in the table', got.size, lost);
}

/** The database is killed under load, and begun anew: every ACK that was heard is in the table. */
async function databaseKilled(house: House, services: TestService[], relay: Relay): Promise<Row> {
  const got = new Map<string, string>();
  const work: Promise<Load> = dhcpLoad(relay, clients, {
    parallel: PARALLEL,
    firstWaitMs: 300,
    got: (mac, address) => got.set(mac, address),
  });
  await pause(400);
  process.kill(house.database.pid, 'SIGKILL');
  await house.database.ended;
  house.database = await startMariadb({ folder: house.folder, databases: [] });
  await work;
  const url = services[0]?.url ?? '';
  for (
    let i = 0;
    i < 300 &&
    !(await fetch(`${url}/health/ready`).then(
      ({ ok }) => ok,
      () => false,
    ));
    i += 1
  )
    await pause(100);
  // What was promised by the records meanwhile is written down behind it.
  await pause(2000);
  const lost = await missing(await clientFor(url, 'engineer'), got);
  return kept(
    'leases that were acknowledged before and after the database was killed, and that are in the table',
    got.size,
    lost,
  );
}

/** How many of them the table does not have: those of a pool; the records promise the others. */
async function missing(api: Client, got: ReadonlyMap<string, string>): Promise<number> {
  const held = new Map<string, string>();
  for (let after: string | undefined; ;) {
    const query = {
      prefix: '10.78.0.0/16',
      state: 'held' as const,
      limit: '1000',
      ...(after === undefined ? {} : { after }),
    };
    const { items, more } = await api.call('lease.list', { query });
    for (const { mac, address } of items) held.set(mac, address);
    if (!more) break;
    after = items.at(-1)?.address;
  }
  return [...got].filter(([mac, address]) => isPooled(address) && held.get(mac) !== address).length;
}

const isPooled = (address: string): boolean => Number(address.split('.')[2]) >= 128;

/** Seconds of processor that the process has used which answers booting devices (proc(5): stat, fields 14 and 15). */
function bootSeconds(pid: number): number {
  const ticks = (of: number): number => {
    const fields = readFileSync(`/proc/${of}/stat`, 'utf8').split(') ')[1]?.split(' ') ?? [];
    return Number(fields[11] ?? 0) + Number(fields[12] ?? 0);
  };
  const children = readdirSync('/proc').filter((name) => /^\d+$/.test(name) && isBootOf(Number(name), pid));
  return children.reduce((sum, child) => sum + ticks(Number(child)), 0) / 100;
}

function isBootOf(pid: number, parent: number): boolean {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]?.split(' ') ?? [];
    return Number(stat[1]) === parent && readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0').includes('boot');
  } catch {
    // It ended while it was looked at.
    return false;
  }
}

/** Devices with boxes behind one relay; every other one has an address of its own, the rest lease theirs. */
async function enter(api: Client): Promise<void> {
  await api.add('vendor', { name: 'larkfield' });
  await api.add('model', { vendor: 'larkfield', name: 'load' });
  await api.add('prefix', { cidr: '10.78.0.0/16', gateway: GATEWAY, pool: '10.78.128.0-10.78.160.0' });
  await api.add('prefix', { cidr: '10.79.0.0/16', gateway: OTHER_GATEWAY, quarantine: '10.79.1.0-10.79.2.0' });
  for (let at = 0; at < DEVICES; at += 200) {
    const numbers = Array.from({ length: 200 }, (_, i) => at + i);
    await api.addAll(
      'device',
      numbers.map((i) => ({ name: `load-${i}`, virtual: false })),
    );
    await api.addAll(
      'box',
      numbers.map((i) => ({ serial: `LOAD-${i}`, mac: macOf(i), model: 'larkfield/load', device: `load-${i}` })),
    );
    const fixed = numbers.filter((i) => i % 2 === 0);
    await api.addAll(
      'interface',
      fixed.map((i) => ({ device: `load-${i}`, name: 'management', form: 'routed' })),
    );
    await api.addAll(
      'address',
      fixed.map((i) => ({
        address: `10.78.${(256 + i) >> 8}.${(256 + i) & 255}`,
        interface: `load-${i}:management`,
      })),
    );
  }
}
