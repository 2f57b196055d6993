/** One address of a sweep: who answers, what key it shows, and, where that may be tried, what it says that it is. */
import { beginTry, endTry, mayTry, type LoginGuard } from '@zpine/core/fleet/loginGuard';
import type { Rung } from '@zpine/core/fleet/rungs';
import type { Swept } from '@zpine/contract/sweepRoutes';
import type { Target } from '../../app/fleet/access.ts';
import type { FirstLogin } from '../../app/sweeps/logins.ts';
import type { ClaimedSweep } from '../../app/sweeps/work.ts';
import { connect, type ConnectOptions, type HostKey } from '../connect.ts';
import { identify } from '../identify.ts';
import { NotReached } from '../notReached.ts';

/** One host is given so many logins that it refuses, lest it locks somebody out. */
const MOST_REFUSED = 3;
const LATER_MS = 100;

export async function sweepHost(
  address: string,
  sweep: ClaimedSweep,
  way: ConnectOptions,
  guard: LoginGuard,
): Promise<Swept | 'silent' | 'shut'> {
  let rung: Rung | undefined;
  const looking = { ...way, firstContact: false, holds: (held: Rung) => void (rung = held) };
  // The way ends at the key, which is new: no login is sent.
  const shown = await connect(targetOf(address, sweep), looking).then(
    ({ client, hostKey }) => (client.end(), { hostKey, detail: '' }),
    (error: unknown) => ({ hostKey: error instanceof NotReached ? error.shown : undefined, detail: messageOf(error) }),
  );
  if (rung === undefined || rung === 'name') return 'silent';
  if (rung === 'answers') return 'shut';
  const found: Swept = { address, rung, detail: shown.detail, hostKey: shown.hostKey ?? null, by: null, met: null };
  if (!shown.hostKey) return found;
  found.rung = 'host-key';
  found.detail = `${shown.hostKey.algorithm} ${shown.hostKey.fingerprint}`;
  if (!sweep.logins) return found;
  return signIn(found, shown.hostKey, { address, sweep, way, guard });
}

interface Trying {
  address: string;
  sweep: ClaimedSweep;
  way: ConnectOptions;
  guard: LoginGuard;
}

async function signIn(found: Swept, { fingerprint }: HostKey, trying: Trying): Promise<Swept> {
  const { address, sweep, way, guard } = trying;
  let refused = 0;
  const refusals: string[] = [];
  const own = sweep.accounts.get(address);
  for (const login of [...(own ? [own] : []), ...(sweep.logins ?? [])]) {
    if (refused >= MOST_REFUSED) break;
    if (!(await mayBegin(guard, login))) {
      refusals.push(`${login.title}: not tried, other hosts refused it`);
      continue;
    }
    // The host whose key was seen, and no other that stands there by now.
    const target = { ...targetOf(address, sweep, login), pinned: fingerprint };
    let how: 'let-in' | 'refused' | 'unknown' = 'unknown';
    beginTry(guard, login.word);
    try {
      const { client } = await connect(target, { ...way, firstContact: false });
      how = 'let-in';
      const again = async () => (await connect(target, { ...way, firstContact: false })).client;
      const met = await identify(sweep.dialects, client, again);
      const detail = met
        ? [met.model, met.version && `version ${met.version}`, met.serial].filter(Boolean).join(', ')
        : 'it answers as no dialect that is known here';
      return { ...found, rung: met ? 'dialect' : 'sign-in', detail, by: login.title, met: met ?? null };
    } catch (error) {
      if (error instanceof NotReached && error.refused) {
        how = 'refused';
        refused += 1;
      }
      refusals.push(`${login.title}: ${messageOf(error)}`);
    } finally {
      endTry(guard, login.word, how);
    }
  }
  return { ...found, detail: [found.detail, ...refusals].join('; ') };
}

/** Waits while a few others try the same login; false where it is given up. */
async function mayBegin(guard: LoginGuard, { word }: FirstLogin): Promise<boolean> {
  for (;;) {
    const may = mayTry(guard, word);
    if (may !== 'later') return may === 'now';
    await new Promise((resolve) => setTimeout(resolve, LATER_MS));
  }
}

function targetOf(address: string, { vrf, access }: ClaimedSweep, login?: FirstLogin): Target {
  return {
    device: 0,
    key: address,
    site: null,
    vrf,
    address,
    hostName: address,
    dialect: undefined,
    dialectName: null,
    access: {
      user: login?.user ?? '',
      password: login?.password,
      key: login?.key,
      passphrase: login?.passphrase,
      factory: undefined,
      second: undefined,
      port: access.port,
      algorithms: access.algorithms,
      connectSeconds: access.connectSeconds,
      answerSeconds: 5,
      parallel: { most: 1, layer: '' },
    },
    pinned: null,
    jump: null,
    fault: null,
    secrets: [],
    login: login?.word ?? '',
  };
}

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
