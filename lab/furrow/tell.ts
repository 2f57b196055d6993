/** What a Furrow switch tells of itself beside its configuration. */
import type { Hears } from '../hears.ts';
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

export function tellClock(memory: Memory): string {
  const servers = memory.all(/^clock follow (\S+)$/);
  return lines([
    ...servers.map((server) => `follows ${server} in step`),
    `zone    ${memory.first(/^clock zone (\S+)$/) ?? 'UTC'}`,
  ]);
}
