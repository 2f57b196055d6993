/** SSH algorithms by the names of their RFCs: what is good today, and what an access set may permit beside it. */
import { algorithmTable } from '@zpine/core/fleet/sshAlgorithms';
import type { Target } from '../app/fleet/access.ts';
import type { Duplex } from 'node:stream';
import { Client, type Algorithms } from 'ssh2';

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

/** What is agreed on, in both directions where there are two. */
const offers = [
  ['key exchange', /^Handshake: \(remote\) KEX method: (.*)$/, 'kex'],
  ['host key', /^Handshake: \(remote\) Host key format: (.*)$/, 'serverHostKey'],
  ['cipher', /^Handshake: \(remote\) C->S cipher: (.*)$/, 'cipher'],
  ['cipher', /^Handshake: \(remote\) S->C cipher: (.*)$/, 'cipher'],
  ['MAC', /^Handshake: \(remote\) C->S MAC: (.*)$/, 'hmac'],
  ['MAC', /^Handshake: \(remote\) S->C MAC: (.*)$/, 'hmac'],
] as const;

/** All that is known, so that the other side tells all of what it offers. */
const everything: Algorithms = Object.fromEntries(
  Object.entries(algorithmTable).map(([name, { good, old }]) => [name, [...good, ...old]]),
);

/** Looks once more, only to hear what the other side offers; names all that would have to be permitted, as one command. */
export async function offered(
  open: () => Promise<Duplex>,
  { key, access }: Pick<Target, 'key' | 'access'>,
): Promise<string | undefined> {
  const algorithms = algorithmsFor(access.algorithms);
  const sock = await open();
  const heard: { words: string; name: keyof typeof algorithmTable; theirs: string[] }[] = [];
  const client = new Client();
  await new Promise<void>((done) => {
    client.on('error', () => done());
    client.on('close', () => done());
    client.connect({
      sock: sock,
      username: 'nobody',
      readyTimeout: access.connectSeconds * 1000,
      algorithms: everything,
      hostVerifier: () => false,
      debug: (line) => {
        for (const [words, form, name] of offers) {
          const theirs = form
            .exec(line)?.[1]
            ?.split(',')
            .filter((one) => !one.startsWith('kex-strict'));
          if (theirs) heard.push({ words, name, theirs });
        }
      },
    });
  });
  client.end();
  sock.destroy();
  const lacking = heard.filter(
    ({ name, theirs }) => !theirs.some((one) => ((algorithms as Record<string, string[]>)[name] ?? []).includes(one)),
  );
  const [first] = lacking;
  if (!first) return undefined;
  const wanted = new Set<string>();
  for (const { words, name, theirs } of lacking) {
    const old: readonly string[] = algorithmTable[name].old;
    const possible = theirs.find((one) => old.includes(one));
    if (possible === undefined)
      return `no ${words} in common: it offers ${theirs.join(', ')}; none of them is known here`;
    wanted.add(possible);
  }
  const what = [...new Set(lacking.map(({ words, theirs }) => `${words} (it offers ${theirs.join(', ')})`))];
  const names = [...new Set([...access.algorithms, ...wanted])].join(',');
  return `nothing in common for ${what.join(', ')}; to permit what is missing: zpine setting set access.algorithms ${names} --on device:${key}`;
}
