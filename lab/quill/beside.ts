/** What a Quill router tells and does beside its script. */
import type { Facts } from '../facts.ts';
import { holds, networkOf } from '../prefixes.ts';
import type { Script } from './script.ts';

const lines = (all: string[]): string => all.map((line) => `${line}\n`).join('');

const portsOf = (script: Script): string[] => [
  ...new Set(script.paths().flatMap((path) => /^port (\S+) \//.exec(path)?.[1] ?? [])),
];

const found = (script: Script, form: RegExp): RegExpExecArray[] =>
  script.paths().flatMap((path) => {
    const match = form.exec(path);
    return match ? [match] : [];
  });

const partWords = { absent: 'missing', undeclared: 'unknown', starting: 'starting', up: 'good', failed: 'broken' };

/** VLANs of its sub-interfaces, with the ports that carry them. */
function vlans(script: Script): string {
  const ports = new Map<string, Set<string>>();
  for (const [, port = '', vlan = ''] of found(script, /^port (\S+) \/ vlan (\d+) \//))
    ports.set(vlan, (ports.get(vlan) ?? new Set()).add(port));
  return lines([...ports].map(([vlan, on]) => `vlan ${vlan} on ${[...on].join(',')}`));
}

interface Way {
  prefix: string;
  text: string;
}

function routes(script: Script, to?: string): string {
  const near = found(script, /^port (\S+) \/ (?:vlan \d+ \/ )?address (\S+)$/).flatMap(
    ([, port = '', at = '']): Way[] => {
      const prefix = networkOf(at);
      return prefix === undefined ? [] : [{ prefix, text: `${prefix} at ${port}` }];
    },
  );
  const far = found(script, /^route (\S+) \/ by (\S+)$/).map(([, prefix = '', by = '']): Way => ({
    prefix,
    text: `${prefix} by ${by}`,
  }));
  const all = [...near, ...far];
  if (to === undefined) return lines(all.map(({ text }) => text));
  const [best] = all
    .filter(({ prefix }) => holds(prefix, to))
    .sort((a, b) => Number(b.prefix.split('/')[1]) - Number(a.prefix.split('/')[1]));
  return best ? `${best.text}\n` : 'none\n';
}

export function readBeside(line: string, script: Script, facts: Facts): string | undefined {
  const [, word = '', to] = /^read (\S+)(?: to (\S+))?$/.exec(line) ?? [];
  if (to !== undefined) return word === 'routes' ? routes(script, to) : undefined;
  const told: Record<string, () => string> = {
    clock: () =>
      lines([
        `time ${facts.clock()}`,
        ...found(script, /^clock \/ server (\S+)$/).map(
          ([, server = '']) => `by ${server}, ${facts.isInStep() ? 'in step' : 'astray'}`,
        ),
        `zone ${script.first(/^clock \/ zone (\S+)$/) ?? 'UTC'}`,
      ]),
    parts: () =>
      lines(facts.parts().map(({ slot, model, serial, state }) => `${slot}: ${model} ${serial}, ${partWords[state]}`)),
    vlans: () => vlans(script),
    routes: () => routes(script),
    macs: () =>
      lines(facts.heard().flatMap(({ on, mac, vlan }) => (mac ? [`${mac} by ${on} in vlan ${vlan ?? 1}`] : []))),
    files: () => lines(facts.files().map(({ name, bytes, sha256 }) => `${name} has ${bytes} bytes, ${sha256}`)),
    log: () => lines(facts.log().map(({ at, text }) => `${at.slice(0, 19).replace('T', ' ')} ${text}`)),
    accounts: () => lines(found(script, /^account (\S+) \/ word /).map(([, user = '']) => `account ${user}`)),
    guests: () =>
      lines(facts.guests().map(({ user, from, since }) => `${user} by ${from} at ${since.toISOString().slice(0, 19)}`)),
    counts: () =>
      lines(
        portsOf(script).map((port) => {
          const { in: came, out, errors } = facts.counts(port);
          return `${port}: ${came} in, ${out} out, ${errors} bad`;
        }),
      ),
    key: () => `key ${facts.fingerprint}\n`,
  };
  return told[word]?.();
}

/** What it can be told to do; nothing where it does not know the word. */
export function actOf(line: string, script: Script, facts: Facts): string | undefined {
  const [, verb, rest = ''] = /^(try|shake port|zero counts|set clock)(?: (.+))?$/.exec(line) ?? [];
  const known = portsOf(script).includes(rest);
  switch (verb) {
    case 'try':
      return `${facts.probe(rest)} of 3 answers from ${rest}\n`;
    case 'shake port':
      if (!known) return `unfit: there is no port ${rest}\n`;
      facts.bounce(rest);
      return '';
    case 'zero counts':
      if (rest !== '' && !known) return `unfit: there is no port ${rest}\n`;
      facts.clear(rest);
      return '';
    case 'set clock': {
      const why = facts.setClock(rest);
      return why === undefined ? `time ${facts.clock()}\n` : `unfit: ${why}\n`;
    }
    default:
      return undefined;
  }
}
