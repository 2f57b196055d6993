/** Whether somebody still gets in: what a configuration lets in, held against the credentials that will be used. */
import type { WayIn } from '../dialect/dialect.ts';

/** What the service signs in with. */
export interface Credentials {
  user: string;
  password: string | undefined;
  /** The public half of the key that it signs in with, as OpenSSH writes it: no password is needed where that is known. */
  publicKey: string | undefined;
}

export interface WayInFault {
  code: 'address' | 'gateway' | 'account' | 'password' | 'key' | 'shell' | 'uplink';
  detail: string;
}

/** Whether a password is the one behind a sealed text. */
export type Opens = (password: string, sealed: string) => boolean;

/** Why nobody signs in with these, by the accounts of a text that is called `what`. */
export function accountFault(
  { users, keys }: Pick<WayIn, 'users' | 'keys'>,
  { user, password, publicKey }: Credentials,
  opens: Opens,
  what: string,
): WayInFault | undefined {
  const account = users.find((one) => one.name === user);
  if (publicKey !== undefined && keys?.some((one) => one.name === user && sameKey(one.key, publicKey)))
    return undefined;
  if (!account) {
    const names = new Set([...users, ...(keys ?? [])].map((one) => one.name));
    if (names.has(user) && password === undefined && publicKey !== undefined) return unknownKey(user, what);
    const found = [...names].join(', ') || 'no account';
    return { code: 'account', detail: `the service signs in as ${user}; ${what} has ${found}` };
  }
  if (password === undefined)
    return publicKey !== undefined
      ? keys === null
        ? undefined
        : unknownKey(user, what)
      : {
          code: 'account',
          detail: `the settings have neither password nor key for ${user}, by whom the service signs in`,
        };
  const fits = account.sealed ? opens(password, account.password) : account.password === password;
  return fits
    ? undefined
    : { code: 'password', detail: `the password of ${user} in ${what} is not the one that the service will use` };
}

const unknownKey = (user: string, what: string): WayInFault => ({
  code: 'key',
  detail: `the service signs in as ${user} with its key alone, and ${what} does not have the public half of it for ${user}`,
});

/** Kind and key; what is said behind them is a comment. */
const sameKey = (a: string, b: string): boolean => {
  const [[kind, key], [other, held]] = [a.trim().split(/\s+/), b.trim().split(/\s+/)];
  return kind === other && key === held && key !== undefined;
};

/**
 * An address on a port that is off, or one whose VLAN no live port carries. Undefined where the dialect does not tell.
 *
 * @param cabled ports from which a cable leads to another device, as far as the records know any
 */
export function uplinkFault(way: WayIn, address: string, cabled: readonly string[] = []): WayInFault | undefined {
  const found = way.addresses.find((one) => sameHost(one.address, address));
  const off = found && way.still.find((port) => found.on === port || found.on.startsWith(`${port}.`));
  if (off !== undefined) return { code: 'uplink', detail: `${address} is on ${off}, which is off` };
  const needs = found?.needs;
  if (needs === undefined || way.carriers === null) return undefined;
  const live = way.carriers.filter(({ port }) => !way.still.includes(port));
  const carrying = live.filter(({ vlans }) => vlans.includes(needs)).map(({ port }) => port);
  if (carrying.length > 0) {
    if (cabled.length === 0 || carrying.some((port) => cabled.includes(port))) return undefined;
    return {
      code: 'uplink',
      detail: `${address} is reached by VLAN ${needs}, which ${carrying.join(', ')} carries; the cables to other devices are in ${cabled.join(', ')}`,
    };
  }
  return {
    code: 'uplink',
    detail: `${address} is reached by VLAN ${needs}, and no port that is live carries it`,
  };
}

/**
 * What of the way in is there before and would not be after. What the configuration never told of, such as accounts that are
 * kept elsewhere, is not missed.
 *
 * @param comesTo the address that the service comes to, where it is known
 */
export function lostWayIn(
  before: WayIn,
  after: WayIn,
  comesTo: string | null,
  credentials: Credentials,
  opens: Opens,
): WayInFault[] {
  const faults: WayInFault[] = [];
  const has = (way: WayIn) => way.addresses.some((one) => sameHost(one.address, comesTo ?? ''));
  if (comesTo !== null && has(before) && !has(after))
    faults.push({ code: 'address', detail: `the service comes to ${comesTo}, which would be gone` });
  if (before.gateway !== undefined && after.gateway !== before.gateway)
    faults.push({
      code: 'gateway',
      detail: `the way out is ${before.gateway}, and would be ${after.gateway ?? 'gone'}`,
    });
  if (before.shell && !after.shell) faults.push({ code: 'shell', detail: 'SSH would be off' });
  const known = (way: WayIn) => way.users.find((one) => one.name === credentials.user);
  const [was, is] = [known(before), known(after)];
  const keysOf = (way: WayIn) => JSON.stringify((way.keys ?? []).filter((one) => one.name === credentials.user));
  const changed = was
    ? is?.password !== was.password || is.sealed !== was.sealed
    : keysOf(before) !== '[]' && keysOf(before) !== keysOf(after);
  // The very account that lets the service in now does so afterwards, whatever the records say of its password.
  if (changed) {
    const fault = accountFault(after, credentials, opens, 'what would run');
    if (fault) faults.push(fault);
  }
  const uplink = comesTo === null ? undefined : uplinkFault(after, comesTo);
  if (uplink && comesTo !== null && !uplinkFault(before, comesTo)) faults.push(uplink);
  return faults;
}

const sameHost = (address: string, host: string): boolean => address.split('/')[0] === host.split('/')[0];
