/**
 * Many made-up requests against a service with the demo in it, as every role, with bombs between them; the health of the
 * service is asked beside it, and a device boots again and again.
 *
 * What writes is mostly looked at (`preview`, `apply: false`): it does the same work, and leaves the network standing that
 * the device boots in. Only records that it does not need are really written.
 */
import { kindNames, kinds } from '@zpine/contract/kinds';
import type { Route } from '@zpine/contract/route';
import { routes, type RouteId } from '@zpine/contract/routes';
import type { Role } from '@zpine/contract/roles';
import { type Attacked, beside, send, type Seen } from '../attacked.ts';
import { bombs } from '../bombs.ts';
import { Booter } from '../booter.ts';
import { Chance } from './chance.ts';
import { operationsOf, type Operation } from './document.ts';
import { requestFor, type Known, type MadeRequest } from './requests.ts';

interface Finding {
  operation: string;
  status: number;
  request: string;
  answer: string;
}

export interface Outcome {
  requests: number;
  byStatus: Map<number, number>;
  /** Of the operations of the document, those that were answered with a success at least once. */
  succeeded: Set<string>;
  operations: number;
  findings: Finding[];
  slowest: { operation: string; ms: number };
  seen: Seen;
  /** How long simulated switches took that booted meanwhile, until they served; ms. */
  boots: number[];
}

/** What the booting device needs stays as it is. */
const needed = /mos|larkfield|lf-24|furrow|10\.77\.(64|0)\.|^#/;
/** Kinds of which records are really added and edited. */
const written = [
  'owner',
  'purpose',
  'site',
  'room',
  'rack',
  'device',
  'box',
  'interface',
  'cable',
  'label',
  'address',
  'vlan',
];
const reallyWritten = new Set(written.flatMap((kind) => [`${kind}.add`, `${kind}.edit`]));
/** Ends without being asked to, or speaks of who is signed in: asked by whoever has nothing to lose. */
const ofSignIns = /^(session|token|user)\./;
/** Wrong answers are worth one line each. */
const MOST_FINDINGS = 50;
const TOO_LONG_MS = 60_000;
/** Alone it takes some seconds. */
const BOOT_MS = 60_000;

export async function fuzz(
  a: Attacked,
  { seed, seconds, atATime }: { seed: number; seconds: number; atATime: number },
): Promise<Outcome> {
  const chance = new Chance(seed);
  const document: unknown = await (await fetch(`${a.service.url}/api/openapi.json`)).json();
  const operations = operationsOf(document).filter(({ id }) => id !== 'events');
  const known = await knownOf(a);
  const outcome: Outcome = {
    requests: 0,
    byStatus: new Map(),
    succeeded: new Set(),
    operations: operations.length,
    findings: [],
    slowest: { operation: '', ms: 0 },
    seen: { bootMs: 0, healthMs: 0, asked: 0 },
    boots: [],
  };
  const booter = new Booter(a);
  const switches = [await booter.declare(), await booter.declare()];
  const end = Date.now() + seconds * 1000;
  const one = async (n: number): Promise<void> => {
    const operation = operations[n % operations.length] as Operation;
    await ask(a, outcome, roleFor(operation, chance), harmless(requestFor(operation, chance, known)));
  };
  outcome.seen = await beside(a, async () => {
    let n = 0;
    const lanes = Array.from({ length: atATime }, async () => {
      while (Date.now() < end) await one((n += 1));
    });
    const throwing = (async () => {
      const all = Object.values(bombs);
      for (let i = 0; Date.now() < end; i += 1) {
        const bomb = all[i % all.length] as (typeof all)[number];
        const { status, text } = await send(a, bomb.path, bomb.body, bomb);
        tally(outcome, `bomb ${bomb.path}`, status, bomb.path, text);
      }
    })();
    const booting = (async () => {
      for (const device of switches) outcome.boots.push(await booter.boot(device, BOOT_MS));
    })();
    await Promise.all([...lanes, throwing, booting]);
  });
  await booter.stop();
  return outcome;
}

async function knownOf(a: Attacked): Promise<Known> {
  const texts = new Set<string>();
  const ids = new Set<string>();
  const keys = new Map<string, string[]>();
  for (const kind of kindNames) {
    const { items } = await a.client.list(kind, { limit: 60 });
    for (const record of items.slice(0, 60)) {
      texts.add(record.key);
      ids.add(`#${record.id}`);
      for (const value of Object.values(record)) if (typeof value === 'string' && value.length < 60) texts.add(value);
    }
    const own = items.slice(0, 60).map((record) => record.key);
    keys.set(kind, own).set(kinds[kind].path, own);
    texts.add(kind);
    for (const field of Object.keys(kinds[kind].fields)) texts.add(field);
  }
  return { texts: [...texts], ids: [...ids], keys };
}

function roleFor({ id }: Operation, chance: Chance): Role | undefined {
  if (ofSignIns.test(id)) return chance.is(0.5) ? 'viewer' : undefined;
  const kind = chance.next();
  return kind < 0.55
    ? 'admin'
    : kind < 0.75
      ? 'engineer'
      : kind < 0.85
        ? 'installer'
        : kind < 0.97
          ? 'viewer'
          : undefined;
}

/** A write that the booting device could miss is looked at only. */
function harmless(made: MadeRequest): MadeRequest {
  const route: Route = routes[made.operation as RouteId];
  if (made.method === 'GET') return made;
  const whole = decodeURIComponent(made.path) + (made.body ?? '');
  if (reallyWritten.has(made.operation) && !needed.test(whole.slice(whole.indexOf('/v1/') + 4))) return made;
  const body = made.body?.replace(/"apply":true/g, '"apply":false');
  const out = { ...made, ...(body === undefined ? {} : { body }) };
  if (route.unrecorded === true) return out;
  return { ...out, path: `${out.path}${out.path.includes('?') ? '&' : '?'}preview=impact&previewSeconds=2` };
}

async function ask(a: Attacked, outcome: Outcome, role: Role | undefined, made: MadeRequest): Promise<void> {
  const begun = Date.now();
  const words = `${made.method} ${made.path} as ${role ?? 'nobody'} ${(made.body ?? '').slice(0, 2000)}`;
  try {
    const response = await fetch(`${a.service.url}${made.path}`, {
      method: made.method,
      headers: {
        ...made.headers,
        ...(made.body === undefined ? {} : { 'Content-Type': 'application/json' }),
        ...(role ? { Authorization: `Bearer ${a.tokens[role]}` } : {}),
      },
      ...(made.body === undefined ? {} : { body: made.body }),
      signal: AbortSignal.timeout(TOO_LONG_MS),
    });
    tally(outcome, made.operation, response.status, words, await response.text());
  } catch (error) {
    tally(outcome, made.operation, 599, words, `no answer: ${String(error)}`);
  }
  const ms = Date.now() - begun;
  if (ms > outcome.slowest.ms) outcome.slowest = { operation: made.operation, ms };
}

function tally(outcome: Outcome, operation: string, status: number, request: string, answer: string): void {
  outcome.requests += 1;
  outcome.byStatus.set(status, (outcome.byStatus.get(status) ?? 0) + 1);
  if (status < 400) outcome.succeeded.add(operation);
  if (status < 500) return;
  const same = outcome.findings.some((one) => one.operation === operation && one.status === status);
  if (!same && outcome.findings.length < MOST_FINDINGS)
    outcome.findings.push({ operation, status, request, answer: answer.slice(0, 600) });
}
