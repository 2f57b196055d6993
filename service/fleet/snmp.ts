/** What a device says of itself by SNMP (RFC 3418, the system group): read, and never written. */
import snmp from 'net-snmp';
import { dial } from '@zpine/core/addressing/dial';
import type { SnmpAccess, Target } from '../app/fleet/access.ts';
import type { ConnectOptions } from './connect.ts';

export interface SystemTold {
  name: string;
  /** sysDescr. */
  about: string;
  /** sysObjectID: which product it is. */
  identity: string;
  upSeconds: number;
}

const SYSTEM = {
  about: '1.3.6.1.2.1.1.1.0',
  identity: '1.3.6.1.2.1.1.2.0',
  up: '1.3.6.1.2.1.1.3.0',
  name: '1.3.6.1.2.1.1.5.0',
};
const TRIES = 1;
/** Nobody says more of himself. */
const MOST_SIGNS = 300;

type Session = ReturnType<typeof snmp.createSession>;

/** Throws in words where nothing comes, or what comes is not let in. */
export async function systemOf(
  target: Target,
  access: SnmpAccess,
  way: Pick<ConnectOptions, 'dialMap'>,
): Promise<SystemTold> {
  if (target.address === null) throw new Error('the records have no address for it');
  const to = dial(way.dialMap, target.vrf, { address: target.address, port: access.port });
  const session = sessionTo(to, access, target.access.connectSeconds);
  try {
    const [about, identity, up, name] = await get(session, [SYSTEM.about, SYSTEM.identity, SYSTEM.up, SYSTEM.name]);
    return {
      name: textOf(name),
      about: textOf(about),
      identity: textOf(identity),
      // TimeTicks are hundredths of a second (RFC 2578, section 7.1.8).
      upSeconds: Math.floor(Number(up) / 100),
    };
  } finally {
    session.close();
  }
}

function sessionTo(to: { address: string; port: number }, access: SnmpAccess, seconds: number): Session {
  const transport = to.address.includes(':') ? ('udp6' as const) : ('udp4' as const);
  const options = { port: to.port, transport, retries: TRIES, timeout: (seconds * 1000) / (TRIES + 1) };
  if ('word' in access) return snmp.createSession(to.address, access.word, { ...options, version: snmp.Version2c });
  const { user: name, authKey, privacyKey } = access;
  const auth = { authProtocol: snmp.AuthProtocols[access.auth as 'sha256'], authKey: authKey ?? '' };
  const privacy = { privProtocol: snmp.PrivProtocols[access.privacy as 'aes'], privKey: privacyKey ?? '' };
  const { noAuthNoPriv, authNoPriv, authPriv } = snmp.SecurityLevel;
  const user =
    authKey === undefined
      ? { name, level: noAuthNoPriv }
      : privacyKey === undefined
        ? { name, level: authNoPriv, ...auth }
        : { name, level: authPriv, ...auth, ...privacy };
  return snmp.createV3Session(to.address, user, options);
}

const get = (session: Session, oids: string[]): Promise<unknown[]> =>
  new Promise((done, failed) => {
    session.on('error', (error: Error) => failed(error));
    session.get(oids, (error, varbinds) => {
      if (error) return failed(new Error(wordsOf(error)));
      const wrong = (varbinds ?? []).find((one) => snmp.isVarbindError(one));
      if (wrong) return failed(new Error(snmp.varbindError(wrong)));
      done((varbinds ?? []).map(({ value }) => value as unknown));
    });
  });

const wordsOf = (error: Error): string =>
  error.name === 'RequestTimedOutError'
    ? 'nothing came: it is off there, or the user or word is another'
    : error.message;

const textOf = (value: unknown): string =>
  (Buffer.isBuffer(value) ? value.toString('utf8') : String(value))
    .replace(/[\u0000-\u001f\u007f]+/g, ' ')
    .trim()
    .slice(0, MOST_SIGNS);

/** `har-acc-1, up 3 d 4 h, LF-24 ..., 1.3.6.1.4.1...`. */
export function toldInWords({ name, about, identity, upSeconds }: SystemTold): string {
  const [days, hours, minutes] = [
    Math.floor(upSeconds / 86_400),
    Math.floor(upSeconds / 3600) % 24,
    Math.floor(upSeconds / 60) % 60,
  ];
  const up =
    days > 0
      ? `${days} d ${hours} h`
      : hours > 0
        ? `${hours} h ${minutes} min`
        : minutes > 0
          ? `${minutes} min`
          : `${upSeconds} s`;
  return [name, `up ${up}`, about, identity].filter((part) => part !== '').join(', ');
}
