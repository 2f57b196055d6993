/** What a Furrow switch tells of itself beside its configuration. */
import type { Facts, Part } from '../facts.ts';
import type { Hears } from '../hears.ts';
import { holds, networkOf } from '../prefixes.ts';
import type { Memory } from './memory.ts';

const lines = (all: string[]): string => all.map((line) => `${line}\n`).join('');

/** Sockets that are configured, and faces with their address. */
/** Lanes that a live socket carries. */
function lanesUp(memory: Memory, hears: readonly Hears[]): Set<string> {
  const out = new Set<string>();
  for (const { head, lines: below } of memory.below(/^socket (\S+)$/)) {
    if (below.includes('state still') || !hears.some((one) => one.on === head[1])) continue;
    for (const line of below) for (const lane of /^lanes? (\S+)$/.exec(line)?.[1]?.split(',') ?? []) out.add(lane);
  }
  return out;
}

/** `strict`: a face has link only where its lane is on a live socket. */
export function tellFaces(memory: Memory, hears: readonly Hears[], strict = false): string {
  const sockets = memory.below(/^socket (\S+)$/).map(({ head, lines: below }) => {
    const name = head[1] ?? '';
    const state = below.includes('state still') ? 'still' : hears.some((one) => one.on === name) ? 'live' : 'dark';
    return `socket ${name.padEnd(7)} ${state}`;
  });
  const faces = memory.below(/^face (\S+ \S+)$/).map(({ head, lines: below }) => {
    const address = below.map((line) => /^at (\S+)$/.exec(line)?.[1]).find((one) => one !== undefined) ?? '';
    const lane = /^lane (\d+)$/.exec(head[1] ?? '')?.[1];
    const dark = strict && lane !== undefined && !lanesUp(memory, hears).has(lane);
    return `${(head[1] ?? '').padEnd(14)} ${dark ? 'dark' : 'live'}  ${address}`.trimEnd();
  });
  return lines([...sockets, ...faces]);
}

export const tellKin = (hears: readonly Hears[]): string =>
  lines(hears.flatMap(({ on, neighbour, port }) => (neighbour ? [`socket ${on} hears ${neighbour} at ${port}`] : [])));

export const tellPairs = (hears: readonly Hears[]): string =>
  lines(
    hears.flatMap(({ address, mac, vlan }) =>
      address && mac ? [`${address.padEnd(15)} ${mac} on lane ${vlan ?? 1}`] : [],
    ),
  );

export const tellMacs = (hears: readonly Hears[]): string =>
  lines(hears.flatMap(({ on, mac, vlan }) => (mac ? [`${mac} lane ${vlan ?? 1} socket ${on}`] : [])));

const tellClock = (memory: Memory, facts: Facts): string =>
  lines([
    `now     ${facts.clock()}`,
    ...memory
      .all(/^clock follow (\S+)$/)
      .map((server) => `follows ${server} ${facts.isInStep() ? 'in step' : 'astray'}`),
    `zone    ${memory.first(/^clock zone (\S+)$/) ?? 'UTC'}`,
  ]);

const partWords: Record<Part['state'], string> = {
  absent: 'empty',
  undeclared: 'unasked',
  starting: 'warming',
  up: 'going',
  failed: 'dead',
};

const tellParts = (facts: Facts): string =>
  lines(
    facts
      .parts()
      .map(
        ({ slot, model, serial, state }) => `slot ${slot.padEnd(5)} ${partWords[state].padEnd(8)} ${model} ${serial}`,
      ),
  );

/** Lanes, and the sockets that carry them. */
function tellLanes(memory: Memory): string {
  const sockets = memory.below(/^socket (\S+)$/);
  return lines(
    memory.below(/^lane (\d+)$/).map(({ head, lines: below }) => {
      const lane = head[1] ?? '';
      const on = sockets.filter(({ lines: of }) =>
        of.some((line) => /^lanes? (\S+)$/.exec(line)?.[1]?.split(',').includes(lane)),
      );
      const title = below.map((line) => /^title (".*")$/.exec(line)?.[1]).find((one) => one !== undefined) ?? '""';
      return `lane ${lane.padEnd(5)} ${title}  sockets ${on.map(({ head: name }) => name[1] ?? '').join(',') || 'none'}`;
    }),
  );
}

/** `to`: only the way that leads there. */
function tellWays(memory: Memory, to?: string): string {
  const ways = memory
    .all(/^(way .+)$/)
    .map((line) => /^way (\S+) by (\S+)$/.exec(line))
    .flatMap((found) => (found?.[1] && found[2] ? [{ prefix: found[1], by: found[2] }] : []));
  const near = memory.below(/^face (\S+ \S+)$/).flatMap(({ head, lines: below }) =>
    below.flatMap((line) => {
      const at = /^at (\S+)$/.exec(line)?.[1];
      const prefix = at === undefined ? undefined : networkOf(at);
      return prefix === undefined ? [] : [{ prefix, on: head[1] ?? '' }];
    }),
  );
  const all = [
    ...near.map(({ prefix, on }) => ({ prefix, text: `${prefix} here on ${on}` })),
    ...ways.map(({ prefix, by }) => ({ prefix, text: `${prefix} by ${by}` })),
  ];
  if (to === undefined) return lines(all.map(({ text }) => text));
  const best = all
    .filter(({ prefix }) => holds(prefix, to))
    .sort((a, b) => Number(b.prefix.split('/')[1]) - Number(a.prefix.split('/')[1]))[0];
  return best ? `${best.text}\n` : 'no way leads there\n';
}

const tellCounts = (memory: Memory, facts: Facts): string =>
  lines(
    memory.below(/^socket (\S+)$/).map(({ head }) => {
      const { in: came, out, errors } = facts.counts(head[1] ?? '');
      return `socket ${(head[1] ?? '').padEnd(6)} in ${came} out ${out} errors ${errors}`;
    }),
  );

const tellAccounts = (memory: Memory): string =>
  lines(
    memory.below(/^account (\S+)$/).map(({ head, lines: below }) => {
      const rank = below.map((line) => /^rank (\S+)$/.exec(line)?.[1]).find((one) => one !== undefined) ?? 'full';
      return `${(head[1] ?? '').padEnd(16)} rank ${rank}`;
    }),
  );

/** All that it tells beside its configuration and what it hears. */
export function tellBeside(word: string, memory: Memory, facts: Facts): string | undefined {
  const to = /^ways to (\S+)$/.exec(word)?.[1];
  if (to !== undefined) return tellWays(memory, to);
  const told: Record<string, () => string> = {
    clock: () => tellClock(memory, facts),
    parts: () => tellParts(facts),
    lanes: () => tellLanes(memory),
    ways: () => tellWays(memory),
    counts: () => tellCounts(memory, facts),
    accounts: () => tellAccounts(memory),
    store: () => lines(facts.files().map(({ name, bytes, sha256 }) => `${name.padEnd(16)} ${bytes} bytes ${sha256}`)),
    journal: () => lines(facts.log().map(({ at, text }) => `${at.slice(0, 19).replace('T', ' ')}  ${text}`)),
    guests: () =>
      lines(
        facts
          .guests()
          .map(({ user, from, since }) => `${user.padEnd(16)} from ${from} since ${since.toISOString().slice(0, 19)}`),
      ),
    key: () => `key ${facts.fingerprint}\n`,
  };
  return told[word]?.();
}
