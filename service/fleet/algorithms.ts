/** SSH algorithms by the names of their RFCs: what is good today, and what an access set may permit beside it. */
import type { Duplex } from 'node:stream';
import { Client, type Algorithms } from 'ssh2';

interface Table {
  good: string[];
  old: string[];
}

const algorithmTable = {
  kex: {
    good: [
      'curve25519-sha256@libssh.org',
      'curve25519-sha256',
      'ecdh-sha2-nistp256',
      'ecdh-sha2-nistp384',
      'ecdh-sha2-nistp521',
      'diffie-hellman-group-exchange-sha256',
      'diffie-hellman-group14-sha256',
      'diffie-hellman-group16-sha512',
      'diffie-hellman-group18-sha512',
    ],
    old: ['diffie-hellman-group14-sha1', 'diffie-hellman-group-exchange-sha1', 'diffie-hellman-group1-sha1'],
  },
  serverHostKey: {
    good: [
      'ssh-ed25519',
      'ecdsa-sha2-nistp256',
      'ecdsa-sha2-nistp384',
      'ecdsa-sha2-nistp521',
      'rsa-sha2-512',
      'rsa-sha2-256',
    ],
    old: ['ssh-rsa', 'ssh-dss'],
  },
  cipher: {
    good: ['aes128-gcm@openssh.com', 'aes256-gcm@openssh.com', 'aes128-ctr', 'aes192-ctr', 'aes256-ctr'],
    old: ['aes256-cbc', 'aes192-cbc', 'aes128-cbc', '3des-cbc'],
  },
  hmac: {
    good: ['hmac-sha2-256-etm@openssh.com', 'hmac-sha2-512-etm@openssh.com', 'hmac-sha2-256', 'hmac-sha2-512'],
    old: ['hmac-sha1-etm@openssh.com', 'hmac-sha1', 'hmac-md5'],
  },
} as const satisfies Record<string, Table>;

/** The first name that means nothing here. */
export const unknownAlgorithm = (names: readonly string[]): string | undefined =>
  names.find(
    (name) => !Object.values(algorithmTable).some(({ good, old }) => [...good, ...old].some((one) => one === name)),
  );

/** The good ones first, then those that are permitted by name. */
export function algorithmsFor(permitted: readonly string[]): Algorithms {
  const out: Record<string, string[]> = {};
  for (const [name, { good, old }] of Object.entries(algorithmTable))
    out[name] = [...good, ...old.filter((one) => permitted.includes(one))];
  return out;
}

const offers = [
  ['key exchange', /^Handshake: \(remote\) KEX method: (.*)$/, 'kex'],
  ['host key', /^Handshake: \(remote\) Host key format: (.*)$/, 'serverHostKey'],
  ['cipher', /^Handshake: \(remote\) S->C cipher: (.*)$/, 'cipher'],
  ['MAC', /^Handshake: \(remote\) S->C MAC: (.*)$/, 'hmac'],
] as const;

/** Looks once more, only to hear what the other side offers; names what would have to be permitted. */
export async function offered(
  open: () => Promise<Duplex>,
  algorithms: Algorithms,
  limitMs: number,
): Promise<string | undefined> {
  const sock = await open();
  const heard = new Map<string, string[]>();
  const client = new Client();
  await new Promise<void>((done) => {
    client.on('error', () => done());
    client.on('close', () => done());
    client.connect({
      sock: sock,
      username: 'nobody',
      readyTimeout: limitMs,
      algorithms,
      hostVerifier: () => false,
      debug: (line) => {
        for (const [, form, name] of offers) {
          const found = form.exec(line)?.[1];
          if (found !== undefined)
            heard.set(
              name,
              found.split(',').filter((one) => !one.startsWith('kex-strict')),
            );
        }
      },
    });
  });
  client.end();
  sock.destroy();
  for (const [words, , name] of offers) {
    const theirs = heard.get(name);
    const ours = (algorithms as Record<string, string[]>)[name] ?? [];
    if (!theirs || theirs.some((one) => ours.includes(one))) continue;
    const old: readonly string[] = algorithmTable[name].old;
    const possible = theirs.find((one) => old.includes(one));
    const remedy =
      possible === undefined
        ? 'none of them is known here'
        : `to permit one, add ${possible} to the setting access.algorithms`;
    return `no ${words} in common: it offers ${theirs.join(', ')}; ${remedy}`;
  }
  return undefined;
}
