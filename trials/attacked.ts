/** The whole service as it is delivered, with the demo in it; and what is watched while it is attacked. */
import { createSocket } from 'node:dgram';
import { setTimeout as pause } from 'node:timers/promises';
import { dial, parseDialRow, type Endpoint } from '@zpine/core/addressing/dial';
import { decodeMessage, encodeMessage, messageTypes } from '@zpine/core/dhcp/message';
import { codeOf } from '@zpine/core/dhcp/options';
import { mustParse } from '@zpine/core/fault';
import { Client } from '@zpine/contract/client';
import { type Role, roles } from '@zpine/contract/roles';
import { loadDemo } from '@zpine/demo/load';
import { bootNet, makeUsers, PASSWORD, startBuiltService, tokenFor, type TestService } from '../ops/stack.ts';

export interface Attacked {
  service: TestService;
  client: Client;
  tokens: Record<Role, string>;
  /** What it was started with. */
  env: Record<string, string>;
  net: ReturnType<typeof bootNet>;
  at: (address: string, port: number) => Endpoint;
  end: () => Promise<void>;
}

/** `database`: where it is, as options of the service. */
export async function attacked(database: Record<string, string>, more: Record<string, string> = {}): Promise<Attacked> {
  const net = bootNet();
  const env = { ...database, ZPINE_LOG_LEVEL: 'silent', ...net.env, ...more };
  await makeUsers(env, ['admin']);
  const service = await startBuiltService(env);
  const tokens = { admin: await tokenFor(service.url, 'admin') } as Record<Role, string>;
  const client = new Client({ url: service.url, token: tokens.admin, via: 'api' });
  for (const role of roles) {
    if (role === 'admin') continue;
    await client.call('user.add', { body: { name: role, role, password: PASSWORD } });
    tokens[role] = await tokenFor(service.url, role);
  }
  await loadDemo(client, () => undefined);
  const rows = net.dialMap.map((row) => mustParse(parseDialRow(row)));
  const at = (address: string, port: number): Endpoint => dial(rows, 'default', { address, port });
  // Whoever kills it puts another in its place.
  const a: Attacked = { service, client, tokens, env, net, at, end: () => a.service.stop() };
  return a;
}

/** A switch of the demo that asks for an address, by way of its relay. */
const KNOWN = { mac: '00:00:5e:00:53:a1', serial: 'LF24-0188-01', relay: '10.77.16.1' };

/** How long a known device waits for its offer; undefined when there is none within the time. */
export async function offerAfter(a: Attacked, waitMs: number): Promise<number | undefined> {
  const socket = createSocket('udp4');
  const own = a.at(KNOWN.relay, 67);
  await new Promise<void>((bound) => socket.bind(own.port, own.address, () => bound()));
  const xid = Math.floor(Math.random() * 0xffff_ffff);
  const asking = encodeMessage({
    op: 'request',
    hardwareType: 1,
    hops: 1,
    xid,
    secs: 0,
    broadcast: false,
    clientAddress: '0.0.0.0',
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: KNOWN.relay,
    hardwareAddress: KNOWN.mac,
    serverName: '',
    file: '',
    options: new Map([
      [codeOf('message-type'), Uint8Array.of(messageTypes.indexOf('DISCOVER'))],
      [codeOf('parameter-request-list'), Uint8Array.of(1, 3, 51, 54, 66, 67)],
      [61, Uint8Array.of(0, ...new TextEncoder().encode(KNOWN.serial))],
    ]),
  });
  const server = a.at('10.77.0.10', 67);
  const begun = Date.now();
  try {
    return await new Promise((done) => {
      const limit = setTimeout(() => done(undefined), waitMs);
      socket.on('message', (bytes) => {
        const reply = decodeMessage(bytes);
        if (!reply.ok || reply.value.xid !== xid) return;
        clearTimeout(limit);
        done(Date.now() - begun);
      });
      socket.send(mustParse(asking), server.port, server.address);
    });
  } finally {
    socket.close();
  }
}

export interface Seen {
  /** The longest that a known device and a health check waited, ms; a boot that got no answer is Infinity. */
  bootMs: number;
  healthMs: number;
  asked: number;
}

/** Asks for an address and for the health of the service, again and again, until the work is done. */
export async function beside(a: Attacked, work: () => Promise<unknown>): Promise<Seen> {
  const seen: Seen = { bootMs: 0, healthMs: 0, asked: 0 };
  const state = { over: false };
  const watching = Promise.all([
    (async () => {
      do {
        seen.bootMs = Math.max(seen.bootMs, (await offerAfter(a, 10_000)) ?? Number.POSITIVE_INFINITY);
        seen.asked += 1;
        await pause(50);
      } while (!state.over);
    })(),
    (async () => {
      do {
        const begun = Date.now();
        await fetch(`${a.service.url}/health/ready`);
        seen.healthMs = Math.max(seen.healthMs, Date.now() - begun);
        await pause(50);
      } while (!state.over);
    })(),
  ]);
  try {
    await work();
  } finally {
    state.over = true;
    await watching;
  }
  return seen;
}

/** What the service answered: its status, and how many bytes of it there were. */
export async function send(
  a: Attacked,
  path: string,
  body: string | undefined,
  {
    role,
    method,
    type = 'application/json',
    headers = {},
  }: { role?: Role; method?: string; type?: string; headers?: Record<string, string> },
): Promise<{ status: number; bytes: number; text: string }> {
  const response = await fetch(`${a.service.url}/api/v1${path}`, {
    method: method ?? (body === undefined ? 'GET' : 'POST'),
    headers: {
      ...(body === undefined ? {} : { 'Content-Type': type }),
      ...(role ? { Authorization: `Bearer ${a.tokens[role]}` } : {}),
      ...headers,
    },
    ...(body === undefined ? {} : { body }),
  });
  const text = await response.text();
  return { status: response.status, bytes: text.length, text };
}
