/** What a Shale host tells and does beside its lines, by its own command and by those of Linux. */
import type { Facts } from '../facts.ts';
import { holds, networkOf } from '../prefixes.ts';
import type { Ended } from '../ssh.ts';

const ok = (all: readonly string[]): Ended => ({ out: all.map((line) => `${line}\n`).join(''), wrong: '', status: 0 });
const wrong = (why: string): Ended => ({ out: '', wrong: `shale: ${why}\n`, status: 1 });

const portsOf = (running: readonly string[]): string[] => [
  ...new Set(running.flatMap((line) => /^(?:port|address) (\S+) /.exec(line)?.[1] ?? [])),
];

const partWords = { absent: 'absent', undeclared: 'unexpected', starting: 'starting', up: 'ok', failed: 'failed' };

function routes(running: readonly string[], to?: string): Ended {
  const all = running.flatMap((line) => {
    const [, prefix, by] = /^route (\S+) (\S+)$/.exec(line) ?? [];
    if (prefix !== undefined && by !== undefined)
      return [{ prefix, text: `${prefix === '0.0.0.0/0' ? 'default' : prefix} via ${by}` }];
    const [, on, at] = /^address (\S+) (\S+)$/.exec(line) ?? [];
    const network = at === undefined ? undefined : networkOf(at);
    return network === undefined || on === undefined ? [] : [{ prefix: network, text: `${network} dev ${on}` }];
  });
  if (to === undefined) return ok(all.map(({ text }) => text));
  const [best] = all
    .filter(({ prefix }) => holds(prefix, to))
    .sort((a, b) => Number(b.prefix.split('/')[1]) - Number(a.prefix.split('/')[1]));
  return best ? ok([best.text]) : { out: '', wrong: 'sh: network is unreachable\n', status: 2 };
}

export function tellBeside(command: string, running: readonly string[], facts: Facts): Ended | undefined {
  const to = /^ip route get (\S+)$/.exec(command)?.[1];
  if (to !== undefined) return routes(running, to);
  switch (command) {
    case 'ip route':
      return routes(running);
    case 'who':
      return ok(
        facts.guests().map(({ user, from, since }) => `${user} ssh ${since.toISOString().slice(0, 19)} (${from})`),
      );
    case 'shale clock':
      return ok([
        `now=${facts.clock()}`,
        ...running
          .filter((line) => line.startsWith('ntp '))
          .map((line) => `server=${line.slice(4)} ${facts.isInStep() ? 'in step' : 'astray'}`),
        `zone=${running.find((line) => line.startsWith('zone '))?.slice(5) ?? 'UTC'}`,
      ]);
    case 'shale parts':
      return ok(
        facts.parts().map(({ slot, model, serial, state }) => `${slot} ${model} ${serial} ${partWords[state]}`),
      );
    case 'shale vlans': {
      const vlans = new Map<string, Set<string>>();
      for (const { on, vlan } of facts.heard())
        if (vlan !== undefined) vlans.set(String(vlan), (vlans.get(String(vlan)) ?? new Set()).add(on));
      return ok([...vlans].map(([vlan, ports]) => `vlan ${vlan} ${[...ports].join(',')}`));
    }
    case 'shale files':
      return ok(facts.files().map(({ name, bytes, sha256 }) => `${name} ${bytes} ${sha256}`));
    case 'shale log':
      return ok(facts.log().map(({ at, text }) => `${at.slice(0, 19)} ${text}`));
    case 'shale users':
      return ok(running.flatMap((line) => /^user (\S+) word /.exec(line)?.[1] ?? []));
    case 'shale counts':
      return ok(
        portsOf(running).map((port) => {
          const { in: came, out, errors } = facts.counts(port);
          return `${port} in=${came} out=${out} errors=${errors}`;
        }),
      );
    case 'shale key':
      return ok([`key=${facts.fingerprint}`]);
    default:
      return undefined;
  }
}

export function actOf(command: string, running: readonly string[], facts: Facts): Ended | undefined {
  const [, verb, rest = ''] =
    /^(ping -c 3 -W 1|shale cycle|shale zero|shale newkey|date -u -s)(?: (.+))?$/.exec(command) ?? [];
  const known = portsOf(running).includes(rest);
  switch (verb) {
    case 'ping -c 3 -W 1': {
      const back = facts.probe(rest);
      return { ...ok([`3 packets transmitted, ${back} received`]), status: back === 0 ? 1 : 0 };
    }
    case 'shale cycle':
      if (!known) return wrong(`there is no port ${rest}`);
      facts.bounce(rest);
      return ok([]);
    case 'shale zero':
      if (rest !== '' && !known) return wrong(`there is no port ${rest}`);
      facts.clear(rest);
      return ok([]);
    case 'date -u -s': {
      const why = facts.setClock(rest.replace(/^'(.*)'$/, '$1'));
      return why === undefined ? ok([facts.clock()]) : { out: '', wrong: `date: ${why}\n`, status: 1 };
    }
    case 'shale newkey':
      facts.mint();
      return ok([`key=${facts.fingerprint}`]);
    default:
      return undefined;
  }
}
