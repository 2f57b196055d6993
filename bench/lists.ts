/** Lists, filters, search and trees through the API, in an estate of a thousand devices and in one of a hundred thousand. */
import { readFileSync } from 'node:fs';
import type { Client } from '@zpine/contract/client';
import { clientFor, startBuiltService, type TestService } from '../ops/stack.ts';
import { openEstate, type Estate } from './estate/stored.ts';
import { measure, type Row, type Times } from './measure.ts';

export const SMALL = 1000;
export const LARGE = 100_000;
const SEED = 1;
const CALLS = 60;
const MOST_MS = 100;
/** So much more is as good as the same. */
const SLACK_MS = 20;

type Look = (client: Client, pick: Pick) => Promise<unknown>;

/** Something of the estate, another one each time. */
interface Pick {
  i: number;
  device: string;
  site: string;
  serial: string;
  mac: string;
  address: string;
  interfaceKey: string;
}

const looks: Record<string, Look> = {
  'first page of devices, counted': (c) => c.list('device', { limit: 50, count: 'true' }),
  'a page in the middle': (c, { device }) => c.list('device', { limit: 50, after: markAt(device) }),
  'devices by place, sorted backwards': (c, { site }) =>
    c.list('device', { limit: 50, site, sort: '-key', count: 'true' }),
  'devices by stage': (c) => c.list('device', { limit: 50, stage: 'faulty' }),
  'devices by the beginning of their names': (c, { device }) => c.list('device', { limit: 50, q: device.slice(0, 6) }),
  'a selection: site, duty and stage': (c, { site }) =>
    c.list('device', { limit: 50, where: `site=${site} duty=access stage!=retired`, count: 'true' }),
  'a selection by area and label': (c) => c.list('device', { limit: 50, where: 'area=north label=pilot' }),
  'the last changed first': (c) => c.list('device', { limit: 50, sort: '-updatedAt' }),
  'interfaces of a device': (c, { device }) => c.list('interface', { limit: 100, device, count: 'true' }),
  'first page of interfaces': (c) => c.list('interface', { limit: 50 }),
  'first page of addresses, counted': (c) => c.list('address', { limit: 50, count: 'true' }),
  'search for a name': (c, { device }) => c.call('search', { query: { q: device } }),
  'search for a MAC in other notation': (c, { mac }) =>
    c.call('search', { query: { q: mac.replaceAll(':', '').slice(0, 10) } }),
  'search for an address': (c, { address }) => c.call('search', { query: { q: address } }),
  'search for a serial': (c, { serial }) => c.call('search', { query: { q: serial } }),
  'the tree of prefixes, one level': (c, { i }) =>
    c.call('prefix.level', { query: { parent: i % 2 ? '10.0.0.0/8' : '10.0.8.0/21' } }),
  'one device': (c, { device }) => c.show('device', device),
  'what a device page shows': (c, { device }) => c.call('device.overview', { params: { ref: device } }),
  'settings of a device with their origin': (c, { device }) => c.call('device.settings', { params: { ref: device } }),
  'what an address is': (c, { address }) => c.call('address.lookup', { query: { q: address } }),
  Today: (c) => c.call('today'),
};

/** A page mark as the service makes them: it goes on behind this key. */
const markAt = (key: string): string => Buffer.from(JSON.stringify(['key', key, 1])).toString('base64url');

export async function listRows(): Promise<Row[]> {
  const few = await inEstate(SMALL, measured);
  const many = await inEstate(LARGE, measured);
  const rows = Object.keys(looks).map((what): Row => {
    const [small, large] = [few.times.get(what) as Times, many.times.get(what) as Times];
    return {
      what: `${what}: 95th percentile at ${LARGE.toLocaleString('en')} devices beside ${SMALL.toLocaleString('en')}`,
      figure: `${large.p95.toFixed(1)} ms`,
      reference: `${small.p95.toFixed(1)} ms`,
      ratio: small.p95 / large.p95,
      aim: 0.5,
      met: large.p95 < MOST_MS && (large.p95 < 2 * small.p95 || large.p95 < small.p95 + SLACK_MS),
    };
  });
  rows.push(
    {
      what: `start-up with ${LARGE.toLocaleString('en')} devices, beside ${SMALL.toLocaleString('en')}`,
      figure: `${many.startMs.toFixed(0)} ms`,
      reference: `${few.startMs.toFixed(0)} ms`,
      ratio: few.startMs / many.startMs,
      aim: 0.5,
    },
    {
      what: `memory of the service after all of that, at the most; beside 400 MB`,
      figure: `${many.peakMb.toFixed(0)} MB (${few.peakMb.toFixed(0)} MB with ${SMALL.toLocaleString('en')})`,
      reference: '400 MB',
      ratio: 400 / many.peakMb,
      aim: 1,
    },
  );
  return rows;
}

/** Does something with a service on an estate. */
export async function inEstate<T>(
  devices: number,
  work: (estate: Estate, start: () => Promise<TestService>) => Promise<T>,
): Promise<T> {
  const estate = await openEstate({ devices, seed: SEED }, (text) => process.stderr.write(`${text}\n`));
  const services: TestService[] = [];
  try {
    return await work(estate, async () => {
      const service = await startBuiltService(estate.env);
      services.push(service);
      return service;
    });
  } finally {
    for (const service of services) await service.stop();
    await estate.close();
  }
}

async function measured(
  _estate: Estate,
  start: () => Promise<TestService>,
): Promise<{ times: Map<string, Times>; startMs: number; peakMb: number }> {
  const began = performance.now();
  const service = await start();
  const startMs = performance.now() - began;
  const client = await clientFor(service.url, 'viewer');
  const picks = await picksFrom(client);
  const times = new Map<string, Times>();
  for (const [what, look] of Object.entries(looks))
    times.set(what, await measure(CALLS, (i) => look(client, picks[i % picks.length] as Pick), 10));
  return { times, startMs, peakMb: peakOf(service.pid) };
}

/** The most memory that a process has had, as the kernel tells it. */
export const peakOf = (pid: number): number =>
  Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1000;

async function picksFrom(client: Client): Promise<Pick[]> {
  const boxes = await client.list('box', { limit: 500, sort: 'key' });
  const fitted = boxes.items.filter((box) => box.device !== null);
  const picks: Pick[] = [];
  for (let i = 0; i < fitted.length && picks.length < 40; i += 12) {
    const box = fitted[i];
    const device = await client.show('device', String(box?.device));
    const { items } = await client.list('address', { limit: 1, interface: `${device.key}:vlan304` });
    picks.push({
      i,
      device: device.key,
      site: String(device.site),
      serial: String(box?.serial),
      mac: String(box?.mac),
      address: String(items[0]?.address),
      interfaceKey: `${device.key}:vlan304`,
    });
  }
  return picks;
}
