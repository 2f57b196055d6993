/** The way to a signed-in SSH connection: a socket, the key exchange, the host key, the sign-in. */
import { lookup } from 'node:dns/promises';
import { connect as connectSocket, type Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { dial, type DialRow } from '@zpine/core/addressing/dial';
import { parseIp } from '@zpine/core/addressing/ip';
import type { Rung } from '@zpine/core/fleet/rungs';
import ssh2, { Client, type AnyAuthMethod, type ConnectConfig } from 'ssh2';
import type { Target } from '../app/fleet/access.ts';
import { signInBare } from './bare.ts';
import type { SignedIn } from './signedIn.ts';
import { algorithmsFor, offered, unknownAlgorithm } from './algorithms.ts';
import { NotReached } from './notReached.ts';
import { sha256 } from '../store/digests.ts';

export interface HostKey {
  fingerprint: string;
  algorithm: string;
  /** The public key itself (RFC 4253, section 6.6), in base64. */
  key: string;
}

export interface Connected {
  client: SignedIn;
  /** Null on a line without encryption: nobody proves who he is. */
  hostKey: HostKey | null;
}

/** Opens the way to a device behind a jump host. */
export type Jump = (jump: Target, address: string, port: number) => Promise<Duplex>;

export interface ConnectOptions {
  dialMap: readonly DialRow[];
  jump: Jump;
  /** A key that nobody has accepted yet is taken, and given back. */
  firstContact: boolean;
  /** Told of every rung that holds. */
  holds?: (rung: Rung, detail: string) => void;
  /** Told of every rung that there is none of. */
  skips?: (rung: Rung, detail: string) => void;
}

export async function connect(target: Target, way: ConnectOptions): Promise<Connected> {
  const { access } = target;
  if (target.fault !== null) throw new NotReached('name', target.fault);
  if (access.bare) return bareConnect(target, access.bare, way);
  const unread = access.key === undefined ? undefined : keyFault(access.key, access.passphrase);
  if (unread !== undefined) throw new NotReached('sign-in', `the key of its access set cannot be read: ${unread}`);
  const strange = unknownAlgorithm(access.algorithms);
  if (strange !== undefined)
    throw new NotReached('exchange', `the setting access.algorithms permits "${strange}", which is not known here`);
  const { socket, open } = await begun(target, access.port, way);
  return await handshake(target, socket, way, open);
}

/** Without encryption: there is no key to be shown, and none to be agreed on. */
async function bareConnect(
  target: Target,
  bare: NonNullable<Target['access']['bare']>,
  way: ConnectOptions,
): Promise<Connected> {
  const { socket } = await begun(target, bare.port, way);
  way.skips?.('exchange', `without encryption: ${bare.reason}`);
  way.skips?.('host-key', 'there is none: nobody proves who answers');
  const client = await signInBare(target, socket, bare);
  way.holds?.('sign-in', `${bare.user} was let in, without encryption`);
  return { client, hostKey: null };
}

/** The way to a socket: a name, an answer, an open port. */
async function begun(
  target: Target,
  port: number,
  way: ConnectOptions,
): Promise<{ socket: Duplex; open: () => Promise<Duplex> }> {
  const address = target.address ?? (await lookedUp(target));
  way.holds?.(
    'name',
    target.address === null ? `${target.hostName} is ${address} by DNS` : `${address}, by the records`,
  );
  const open = () => openStream(target, address, port, way);
  const socket = await open();
  way.holds?.('port', target.jump ? `port ${port} is open, behind ${target.jump.key}` : `port ${port} is open`);
  return { socket, open };
}

async function lookedUp({ hostName }: Target): Promise<string> {
  try {
    return (await lookup(hostName)).address;
  } catch (error) {
    const { code } = error as { code?: string };
    throw new NotReached(
      'name',
      `it has no management address in the records, and DNS does not know ${hostName} (${code ?? 'no answer'})`,
    );
  }
}

async function openStream(target: Target, address: string, port: number, way: ConnectOptions): Promise<Duplex> {
  const { connectSeconds } = target.access;
  if (target.jump) {
    const stream = await way.jump(target.jump, address, port);
    way.holds?.('answers', `the way goes by ${target.jump.key}`);
    return stream;
  }
  const to = parseIp(address).ok ? dial(way.dialMap, target.vrf, { address, port }) : { address, port };
  const socket = connectSocket({ host: to.address, port: to.port, noDelay: true });
  await opened(socket, connectSeconds * 1000, address, port, way);
  way.holds?.('answers', `${address} answers`);
  return socket;
}

/** A refusal is an answer, too: somebody is there, and the port is shut. */
function opened(socket: Socket, limitMs: number, address: string, port: number, way: ConnectOptions): Promise<void> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => {
      socket.destroy();
      reject(new NotReached('answers', `${address} did not answer within ${limitMs / 1000} s`));
    }, limitMs);
    socket.once('connect', () => {
      clearTimeout(timer);
      resolve();
    });
    socket.once('error', (error: NodeJS.ErrnoException) => {
      clearTimeout(timer);
      if (error.code !== 'ECONNREFUSED') {
        reject(new NotReached('answers', `${address} is not reached (${error.code ?? error.message})`));
        return;
      }
      way.holds?.('answers', `${address} answers`);
      reject(new NotReached('port', `port ${port} of ${address} is shut`));
    });
  });
}

async function handshake(
  target: Target,
  sock: Duplex,
  way: ConnectOptions,
  again: () => Promise<Duplex>,
): Promise<Connected> {
  const { access } = target;
  const algorithms = algorithmsFor(access.algorithms);
  let hostKey: HostKey = { fingerprint: '', algorithm: '', key: '' };
  let refusedKey = false;
  const client = new Client();
  try {
    await new Promise<void>((resolve, reject) => {
      client.once('ready', () => resolve());
      client.on('error', reject);
      client.once('close', () => reject(new Error('the connection was closed')));
      client.on('keyboard-interactive', (_name, _about, _language, prompts, answer) =>
        answer(prompts.map(() => access.password ?? '')),
      );
      client.connect({
        sock: sock,
        username: access.user,
        readyTimeout: access.connectSeconds * 1000,
        algorithms,
        authHandler: signInBy(target) as NonNullable<ConnectConfig['authHandler']>,
        hostVerifier: (shown: Buffer) => {
          hostKey = {
            fingerprint: fingerprintOf(shown),
            algorithm: algorithmOf(shown),
            key: shown.toString('base64'),
          };
          way.holds?.('exchange', 'both sides agreed');
          const known = target.pinned === null ? way.firstContact : target.pinned === hostKey.fingerprint;
          refusedKey = !known;
          if (known) way.holds?.('host-key', `${hostKey.algorithm} ${hostKey.fingerprint}`);
          return known;
        },
      });
    });
  } catch (error) {
    client.end();
    sock.destroy();
    if (refusedKey) throw keyRefused(target, hostKey);
    throw await failure(error as Error & { level?: string }, target, hostKey.fingerprint !== '', again);
  }
  client.removeAllListeners('error');
  // What goes wrong later ends the session that stands on it.
  client.on('error', () => client.end());
  way.holds?.('sign-in', `${access.user} was let in`);
  return { client, hostKey };
}

function keyRefused({ pinned }: Target, hostKey: HostKey): NotReached {
  return pinned === null
    ? new NotReached('host-key', `it is new: ${hostKey.algorithm} ${hostKey.fingerprint}`, hostKey)
    : new NotReached('host-key', `it has changed: ${hostKey.fingerprint} was shown, ${pinned} is pinned`, hostKey);
}

async function failure(
  error: Error & { level?: string },
  target: Target,
  agreed: boolean,
  again: () => Promise<Duplex>,
): Promise<NotReached> {
  const { access } = target;
  if (error.level === 'client-authentication')
    return new NotReached('sign-in', signInWords(target), undefined, tries(access));
  if (/no matching|Handshake failed/i.test(error.message)) {
    const offers = await offered(again, target).catch(() => undefined);
    return new NotReached('exchange', offers ?? error.message);
  }
  if (/Timed out while waiting for handshake/.test(error.message))
    return new NotReached(agreed ? 'sign-in' : 'exchange', `nothing came for ${access.connectSeconds} s`);
  return new NotReached(agreed ? 'sign-in' : 'exchange', error.message);
}

const tries = ({ password, key }: Target['access']): boolean => password !== undefined || key !== undefined;

function signInWords({ access, key }: Target): string {
  if (access.password === undefined && access.key === undefined)
    return `the access set of ${key} has neither password nor key for ${access.user}`;
  return `${access.user} was not let in with ${access.key === undefined ? 'its password' : access.password === undefined ? 'its key' : 'its key or password'}`;
}

/** Each means is tried once: what was refused is not said again, lest the device locks the account. */
function signInBy({ access }: Target) {
  const tried = new Set<string>();
  return (left: string[] | null, _partly: boolean, next: (method: AnyAuthMethod | false) => void): void => {
    if (left === null) return next({ type: 'none', username: access.user });
    const can = (means: string) => left.includes(means) && !tried.has(means);
    const { user: username, key, password, passphrase } = access;
    if (key !== undefined && can('publickey')) {
      tried.add('publickey');
      return next({ type: 'publickey', username, key, ...(passphrase === undefined ? {} : { passphrase }) });
    }
    if (password !== undefined && can('password')) {
      // One and the same password, whatever way it is asked for.
      tried.add('password').add('keyboard-interactive');
      return next({ type: 'password', username, password });
    }
    if (password !== undefined && can('keyboard-interactive')) {
      tried.add('keyboard-interactive');
      const prompt = (_n: string, _i: string, _l: string, prompts: unknown[], answer: (said: string[]) => void) =>
        answer(prompts.map(() => password));
      return next({ type: 'keyboard-interactive', username, prompt });
    }
    next(false);
  };
}

/** As SSH tools write it: SHA256 and base64 without padding. */
const fingerprintOf = (key: Buffer): string => `SHA256:${sha256(key).toString('base64').replace(/=+$/, '')}`;

/** The name of the key's algorithm, the first string of its blob (RFC 4253, section 6.6). */
const algorithmOf = (key: Buffer): string => key.subarray(4, 4 + Math.min(60, key.readUInt32BE(0))).toString('ascii');

/** Whether a private key can be read, and why not. */
function keyFault(key: string, passphrase?: string): string | undefined {
  const read = ssh2.utils.parseKey(key, passphrase);
  return read instanceof Error ? read.message : undefined;
}
