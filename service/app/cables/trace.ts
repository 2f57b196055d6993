/** Follows cables from ports, through panels, to where they end. Many at once: one question a step, however many ports. */
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { cablesAndEnds } from '../kinds/cable.ts';

/** One cable of a way, and the port at its other end; null where that is something in words. */
export interface Hop {
  cable: Stored<'cable'>;
  port: Stored<'port'> | null;
}

export interface CablePath {
  hops: Hop[];
  /** `port`: a socket of a device; `words`: what is not ours; `open`: a panel that nothing goes on from; `circle`: back again. */
  ends: 'port' | 'words' | 'open' | 'circle';
}

/** The ways from these ports; a port without a cable has none. */
export async function pathsFrom(tx: Tx, ports: number[]): Promise<Map<number, CablePath>> {
  const ways = new Map<number, CablePath>();
  let open = new Map<number, { start: number; seen: Set<number> }>(
    ports.map((port) => [port, { start: port, seen: new Set([port]) }]),
  );
  while (open.size > 0) {
    const ends = await cablesAndEnds(tx, [...open.keys()]);
    const next = new Map<number, { start: number; seen: Set<number> }>();
    for (const [port, { start, seen }] of open) {
      const end = ends.get(port);
      if (!end) continue;
      const way = ways.get(start) ?? { hops: [], ends: 'port' as const };
      ways.set(start, way);
      const there = end.other ?? null;
      way.hops.push({ cable: end.cable, port: there });
      way.ends = there === null ? 'words' : there.through === null ? 'port' : 'open';
      if (!there || there.through === null) continue;
      if (seen.has(there.id)) {
        way.ends = 'circle';
        continue;
      }
      seen.add(there.id).add(there.through);
      next.set(there.through, { start, seen });
    }
    open = next;
  }
  return ways;
}

export interface FarEnd {
  port: number | null;
  words: string | null;
}

/** Where the cables of these ports come out; those that end nowhere are left out. */
export async function farEnds(tx: Tx, ports: number[]): Promise<Map<number, FarEnd>> {
  const out = new Map<number, FarEnd>();
  for (const [start, { hops, ends }] of await pathsFrom(tx, ports)) {
    const last = hops.at(-1);
    if (!last || ends === 'open' || ends === 'circle') continue;
    out.set(start, { port: last.port?.id ?? null, words: last.port ? null : last.cable.farEnd });
  }
  return out;
}
