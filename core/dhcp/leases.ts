/**
 * Leases in memory: who holds which address, and which address of a pool a client is given. Addresses are numbers, times
 * milliseconds since 1970; nothing here reads a clock.
 */
import TinyQueue from 'tinyqueue';
import { inside, type Link, type Stretch } from './link.ts';

export type LeaseSource = 'fixed' | 'pool' | 'quarantine';

export type Held = {
  vrf: number;
  address: number;
  prefix: number;
  source: LeaseSource | 'declined';
  /** One word for the client; empty where nobody has it. */
  word: string;
  mac: string;
  device: number | null;
  expires: number;
  /** When its client was heard of last. */
  heard: number;
  /** False for an offer. */
  acknowledged: boolean;
  /** Until when it stands in the database; 0 where it does not. */
  kept: number;
};

/** Who asks for an address of a pool. */
export type Asking = { word: string; device: number | null; wanted: number | undefined };

const keyOf = (vrf: number, address: number): number => vrf * 2 ** 32 + address;

/** Addresses that are tried from the place that the client's own word leads to. */
const TRIES = 24;
/** So many ends for each address are kept at most. */
const STALE = 8;

export class LeaseTable {
  private readonly byAddress = new Map<number, Held>();
  private readonly byWord = new Map<string, Set<Held>>();
  private readonly byDevice = new Map<number, Set<Held>>();
  private readonly byMac = new Map<string, Set<Held>>();
  private readonly pools = new Map<string, Pool>();

  all(): IterableIterator<Held> {
    return this.byAddress.values();
  }

  at(vrf: number, address: number): Held | undefined {
    return this.byAddress.get(keyOf(vrf, address));
  }

  /** What a device holds, by whichever of its identities; with it what it was only offered. */
  ofDevice(device: number): readonly Held[] {
    return [...(this.byDevice.get(device) ?? [])];
  }

  ofWord(word: string): readonly Held[] {
    return [...(this.byWord.get(word) ?? [])];
  }

  ofMac(mac: string): readonly Held[] {
    return [...(this.byMac.get(mac) ?? [])];
  }

  /** Takes the place of what was held at the address. */
  put(held: Held): void {
    const key = keyOf(held.vrf, held.address);
    this.forget(key);
    this.byAddress.set(key, held);
    if (held.word !== '') into(this.byWord, held.word, held);
    if (held.mac !== '') into(this.byMac, held.mac, held);
    if (held.device !== null) into(this.byDevice, held.device, held);
    for (const pool of this.pools.values()) pool.taken(held);
  }

  drop(vrf: number, address: number): void {
    const held = this.forget(keyOf(vrf, address));
    if (held) for (const pool of this.pools.values()) pool.freed(held);
  }

  private forget(key: number): Held | undefined {
    const held = this.byAddress.get(key);
    if (!held) return undefined;
    this.byAddress.delete(key);
    outOf(this.byWord, held.word, held);
    outOf(this.byMac, held.mac, held);
    if (held.device !== null) outOf(this.byDevice, held.device, held);
    return held;
  }

  /** What a client has of a pool, or had last: of a device by its device, of anybody else by its word. */
  own(link: Link, source: 'pool' | 'quarantine', { word, device }: Pick<Asking, 'word' | 'device'>): Held | undefined {
    const held = device === null ? this.byWord.get(word) : this.byDevice.get(device);
    const here = [...(held ?? [])].filter(
      (one) => one.source === source && one.prefix === link.id && inside(link[source], one.address),
    );
    // What was promised goes before what was only offered.
    return here.sort((a, b) => Number(b.acknowledged) - Number(a.acknowledged) || b.expires - a.expires)[0];
  }

  /**
   * An address for who has none there: the one it asks for if it is free, else one that its own word leads to, else any
   * that nobody had, else the one that has been out of use the longest. Undefined when all are in use.
   */
  choose(link: Link, source: 'pool' | 'quarantine', { word, wanted }: Asking, now: number): number | undefined {
    const spans = link[source];
    if (spans.length === 0) return undefined;
    const free = (address: number): boolean => !this.byAddress.has(keyOf(link.vrf, address));
    if (wanted !== undefined && inside(spans, wanted) && (free(wanted) || this.lapsed(link, wanted, now)))
      return wanted;
    return this.poolOf(link, source).choose(word, free, now);
  }

  private lapsed(link: Link, address: number, now: number): boolean {
    const held = this.at(link.vrf, address);
    // Its last holder has the first right to it, as long as there is other room.
    return held !== undefined && held.expires <= now && held.word === '';
  }

  private poolOf(link: Link, source: 'pool' | 'quarantine'): Pool {
    const name = `${link.vrf} ${link[source].map(({ first, last }) => `${first}-${last}`).join(' ')}`;
    let pool = this.pools.get(name);
    if (!pool) {
      pool = new Pool(link.vrf, link[source], this.byAddress);
      this.pools.set(name, pool);
    }
    return pool;
  }
}

type End = { at: number; address: number };

/** What of a pool is free, found at once however full it is. */
class Pool {
  private readonly size: number;
  private readonly vrf: number;
  private readonly spans: readonly Stretch[];
  private readonly held: ReadonlyMap<number, Held>;
  /** The first that was never looked at: before it, all are taken or were given back. */
  private next = 0;
  private readonly back: number[] = [];
  /** When addresses get out of use, the earliest first; only where all were taken once. */
  private ends: TinyQueue<End> | undefined;

  constructor(vrf: number, spans: readonly Stretch[], held: ReadonlyMap<number, Held>) {
    this.vrf = vrf;
    this.spans = spans;
    this.held = held;
    this.size = spans.reduce((sum, { first, last }) => sum + last - first + 1, 0);
  }

  taken({ vrf, address, expires }: Held): void {
    if (!this.ends || vrf !== this.vrf || !inside(this.spans, address)) return;
    this.ends.push({ at: expires, address });
    // Each renewal leaves an end behind that counts no more.
    if (this.ends.length > STALE * this.size) this.ends = undefined;
  }

  freed({ vrf, address }: Held): void {
    if (vrf !== this.vrf || !inside(this.spans, address)) return;
    if (this.back.push(address) <= this.size) return;
    // All of it is looked through anew: that is less than what was given back.
    this.back.length = this.next = 0;
  }

  choose(word: string, free: (address: number) => boolean, now: number): number | undefined {
    const start = hashOf(word) % this.size;
    for (let i = 0; i < TRIES && i < this.size; i += 1) {
      const address = this.nth((start + i) % this.size);
      if (free(address)) return address;
    }
    for (; this.next < this.size; this.next += 1) {
      const address = this.nth(this.next);
      if (free(address)) return address;
    }
    for (let address = this.back.at(-1); address !== undefined; address = this.back.at(-1)) {
      if (free(address)) return address;
      this.back.pop();
    }
    return this.longestOver(now);
  }

  private longestOver(now: number): number | undefined {
    this.ends ??= this.allEnds();
    for (let end = this.ends.peek(); end; end = this.ends.peek()) {
      const held = this.held.get(keyOf(this.vrf, end.address));
      if (held?.expires === end.at) return end.at <= now ? end.address : undefined;
      this.ends.pop();
    }
    return undefined;
  }

  private allEnds(): TinyQueue<End> {
    const here = [...this.held.values()].filter(({ vrf, address }) => vrf === this.vrf && inside(this.spans, address));
    return new TinyQueue(
      here.map(({ expires, address }) => ({ at: expires, address })),
      (a, b) => a.at - b.at,
    );
  }

  private nth(n: number): number {
    let left = n;
    for (const { first, last } of this.spans) {
      if (left <= last - first) return first + left;
      left -= last - first + 1;
    }
    throw new Error('behind the end of the pool');
  }
}

/** FNV-1a, 32 bit: the same word leads to the same place in every process. */
function hashOf(word: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < word.length; i += 1) hash = Math.imul(hash ^ word.charCodeAt(i), 0x01000193);
  return hash >>> 0;
}

function into<K>(map: Map<K, Set<Held>>, key: K, held: Held): void {
  const set = map.get(key);
  if (set) set.add(held);
  else map.set(key, new Set([held]));
}

function outOf<K>(map: Map<K, Set<Held>>, key: K, held: Held): void {
  const set = map.get(key);
  if (set?.delete(held) && set.size === 0) map.delete(key);
}
