/**
 * Fills the memory that clients are answered from, and keeps it as the records are: by what is told of a change before
 * its call returns, by the events of everybody's changes, and by comparing a part of it with the records now and then.
 */
import { isDeepStrictEqual } from 'node:util';
import type { Held } from '@zpine/core/dhcp/leases';
import type { BootFact, BootMemory } from '@zpine/core/dhcp/memory';
import {
  knownDialects,
  bootSettings,
  factsOf,
  heldLeases,
  linksOf,
  placedDevices,
  siteKeys,
} from '../app/boot/facts.ts';
import { bootProfiles } from '../app/boot/profiles.ts';
import { spareBoxes, strangersIn } from '../app/boot/others.ts';
import { touchedBy, type Touch } from '../app/boot/touched.ts';
import { EventFeed } from '../store/events.ts';
import type { Faults } from '../store/faults.ts';
import { Instant } from '../store/instant.ts';
import { byIds } from '../store/records.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';
import { PollLoop } from '../store/turns.ts';
import type { Tx } from '../store/tx.ts';
import type { BootState } from '@zpine/contract/processes';
import type { Hint } from '../store/hint.ts';
import type { BootClock } from './clock.ts';
import { isDatabaseAway } from './ledger.ts';
import type { Log } from './sockets.ts';

const actor: Actor = { name: 'boot', via: 'service' };
/** Devices that are read together. */
const SLICE = 500;
const AT_ONCE = 2;
const TURN_MS = 250;
/** A row is seen by others when it is committed, which may be later than the time in it. */
const OVERLAP_MS = 3000;
const COMPARE_MS = 5000;
const COMPARED = 500;

export class Refresher {
  private readonly store: Store;
  private readonly memory: BootMemory;
  private readonly clock: BootClock;
  private readonly faults: Faults;
  private readonly log: Log;
  private readonly writer: number;
  private readonly feed: EventFeed;
  private readonly loop = new PollLoop(TURN_MS, () => this.turn());
  /** One refresh after the other: what is read later is newer. */
  private last: Promise<void> = Promise.resolve();
  private heard: Hint[] = [];
  private resync = false;
  private leasesSince = 0;
  private comparedAt = 0;
  private nextCompared = 0;
  /** Facts that did not agree when they were last compared. */
  private suspects = new Set<number>();
  readonly state: BootState = { devices: 0, readMs: 0, compared: 0, differences: 0 };

  constructor(store: Store, memory: BootMemory, clock: BootClock, writer: number, faults: Faults, log: Log) {
    this.store = store;
    this.memory = memory;
    this.clock = clock;
    this.writer = writer;
    this.faults = faults;
    this.log = log;
    this.feed = new EventFeed(store, log);
  }

  /** Reads what all devices need; `begun` is called then, and the devices follow. */
  async start(begun: () => Promise<void>): Promise<void> {
    const from = performance.now();
    this.memory.partial = true;
    this.feed.listen((what) => {
      if (what === 'resync') this.resync = true;
      else this.heard.push(...what.map(({ kind, record, version }) => ({ kind, id: record, version })));
    });
    await this.read((tx) => this.readShared(tx));
    await begun();
    await this.readDevices();
    this.memory.partial = false;
    this.state.readMs = Math.round(performance.now() - from);
    this.log.info({ devices: this.memory.deviceCount, ms: this.state.readMs }, 'devices are known to DHCP');
    this.loop.start();
  }

  async stop(): Promise<void> {
    this.feed.stop();
    await this.loop.stop();
    await this.last;
  }

  /** What was committed is known here when this resolves. */
  refresh(hints: readonly Hint[]): Promise<void> {
    return this.inTurn(() => this.take(hints));
  }

  private inTurn(work: () => Promise<void>): Promise<void> {
    const next = this.last.then(work);
    this.last = next.catch(() => undefined);
    return next;
  }

  private read<T>(work: (tx: Tx) => Promise<T>): Promise<T> {
    return readOnly(this.store, actor, work);
  }

  private async turn(): Promise<boolean> {
    try {
      if (this.resync) {
        this.resync = false;
        await this.inTurn(() => this.readAgain());
      }
      const heard = this.heard.splice(0);
      if (heard.length > 0) await this.inTurn(() => this.take(heard));
      await this.inTurn(() => this.takeLeases());
      if (performance.now() - this.comparedAt > COMPARE_MS) {
        this.comparedAt = performance.now();
        await this.inTurn(() => this.compare());
      }
      this.memory.away = false;
    } catch (error) {
      // What was not taken in is read with all the rest.
      this.resync = true;
      // Another fault says nothing of the database: promises are kept by whoever writes them.
      if (isDatabaseAway(error)) this.memory.away = true;
      this.faults.say(error, 'what DHCP answers from could not be brought up to date');
    }
    this.state.devices = this.memory.deviceCount;
    return false;
  }

  private async readShared(tx: Tx): Promise<void> {
    const { memory } = this;
    this.clock.said((await tx.now()).ms);
    memory.dialects = await knownDialects(tx);
    memory.sites = await siteKeys(tx);
    memory.setSettings(await bootSettings(tx));
    memory.profiles = await bootProfiles(tx);
    const links = await linksOf(tx);
    const standing = new Set(links.map(({ id }) => id));
    for (const link of links) memory.links.put(link);
    for (const { id } of [...memory.links.all()]) if (!standing.has(id)) memory.links.drop(id);
    this.leasesSince = (await tx.now()).ms;
    this.putLeases(await heldLeases(tx), undefined);
    for (const { word, ...row } of await strangersIn(tx)) memory.strangers.put(word, row);
  }

  /** The database looks for some while those before are put together. */
  private async readDevices(): Promise<void> {
    const standing = new Set<number>();
    const reading = new Set<Promise<void>>();
    for (let after = 0; ;) {
      const ids = await this.read((tx) => idsAfter(tx, after, SLICE));
      if (ids.length === 0) break;
      after = ids.at(-1) ?? 0;
      const slice = this.readSome(ids, standing).finally(() => reading.delete(slice));
      reading.add(slice);
      if (reading.size >= AT_ONCE) await Promise.race(reading);
    }
    await Promise.all(reading);
    for (const id of [...this.memory.deviceIds()]) if (!standing.has(id)) this.memory.drop(id);
    const spare = await this.read(spareBoxes);
    const spareIds = new Set(spare.map(({ id }) => id));
    for (const id of [...this.memory.spareIds()]) if (!spareIds.has(id)) this.memory.dropSpare(id);
    for (const box of spare) this.memory.putSpare(box);
  }

  private async readSome(ids: readonly number[], standing: Set<number>): Promise<void> {
    const facts = await this.read(async (tx) => factsOf(tx, await placedDevices(tx, ids)));
    for (const fact of facts) {
      standing.add(fact.id);
      this.memory.put(fact);
    }
  }

  private async readAgain(): Promise<void> {
    await this.read((tx) => this.readShared(tx));
    await this.readDevices();
  }

  private async take(hints: readonly Hint[]): Promise<void> {
    const { memory } = this;
    await this.read(async (tx) => {
      const touch = await touchedBy(tx, hints, memory);
      if (touch.dialects) memory.dialects = await knownDialects(tx);
      if (touch.sites) memory.sites = await siteKeys(tx);
      if (touch.settings) memory.setSettings(await bootSettings(tx));
      if (touch.profiles) memory.profiles = await bootProfiles(tx);
      await this.takeLinks(tx, touch);
      await this.takeDevices(tx, touch.devices);
      const spare = await spareBoxes(tx, touch.boxes);
      // In one turn: whoever asks in between finds what was, or what is.
      for (const id of touch.boxes) memory.dropSpare(id);
      for (const box of spare) memory.putSpare(box);
      for (const prefix of touch.leasesIn) this.putLeases(await heldLeases(tx, 'AND prefix_id = ?', [prefix]), prefix);
      if (touch.strangers)
        for (const { word, ...row } of await strangersIn(tx, touch.strangers)) memory.strangers.put(word, row);
    });
  }

  private async takeLinks(tx: Tx, { links }: Touch): Promise<void> {
    if (links.size === 0) return;
    const records = await byIds(tx, 'prefix', [...links]);
    for (const id of links) if (!records.has(id)) this.memory.links.drop(id);
    for (const link of await linksOf(tx, [...records.values()])) this.memory.links.put(link);
  }

  private async takeDevices(tx: Tx, devices: ReadonlySet<number>): Promise<void> {
    const all = [...devices];
    for (let at = 0; at < all.length; at += SLICE) {
      const ids = all.slice(at, at + SLICE);
      const facts = await factsOf(tx, await placedDevices(tx, ids));
      const standing = new Set(facts.map(({ id }) => id));
      for (const id of ids) if (!standing.has(id)) this.memory.drop(id);
      for (const fact of facts) this.memory.put(fact);
    }
  }

  /** Leases that other services have written since. */
  private async takeLeases(): Promise<void> {
    await this.read(async (tx) => {
      const now = (await tx.now()).ms;
      this.clock.said(now);
      const since = new Instant(this.leasesSince - OVERLAP_MS);
      const held = await heldLeases(tx, 'AND changed_at > ? AND writer <> ?', [since, this.writer]);
      for (const lease of held) this.memory.leases.put(lease);
      this.leasesSince = now;
    });
  }

  /** `prefix`: those are all that this one has; undefined: all that there are. Offers stay, nobody has written them. */
  private putLeases(held: readonly Held[], prefix: number | undefined): void {
    const { leases } = this.memory;
    const standing = new Set(held.map(({ vrf, address }) => `${vrf} ${address}`));
    for (const one of [...leases.all()]) {
      const meant = prefix === undefined || one.prefix === prefix;
      if (meant && one.kept > 0 && !standing.has(`${one.vrf} ${one.address}`)) leases.drop(one.vrf, one.address);
    }
    for (const one of held) {
      const known = leases.at(one.vrf, one.address);
      // What is on its way to the disk is newer.
      if (!known || known.kept > 0 || known.expires < this.clock.now()) leases.put(one);
    }
  }

  /**
   * Some devices after others: a difference counts when it stands in two comparisons, with what changed in between read;
   * it is put right, whether it counts or not.
   */
  private async compare(): Promise<void> {
    const { memory, state } = this;
    const wrong = await this.read(async (tx) => {
      const next = await idsAfter(tx, this.nextCompared, COMPARED);
      this.nextCompared = next.length < COMPARED ? 0 : (next.at(-1) ?? 0);
      const ids = [...new Set([...next, ...this.suspects])];
      const records = await placedDevices(tx, ids);
      state.compared += records.length;
      return (await factsOf(tx, records)).filter(
        (fact) => !isDeepStrictEqual(shownOf(fact), shownOf(memory.fact(fact.id))),
      );
    });
    const again = wrong.filter(({ id }) => this.suspects.has(id));
    this.suspects = new Set(wrong.filter((fact) => !again.includes(fact)).map(({ id }) => id));
    for (const fact of again) memory.put(fact);
    if (again.length === 0) return;
    state.differences += again.length;
    const devices = again.map(({ key }) => key).slice(0, 10);
    this.log.warn(
      { devices, count: again.length },
      'what DHCP answers from was not what the records say; it is put right',
    );
  }
}

const idsAfter = async (tx: Tx, after: number, most: number): Promise<number[]> =>
  (await tx.select<{ id: number }>('SELECT id FROM device WHERE id > ? ORDER BY id LIMIT ?', [after, most])).map(
    ({ id }) => Number(id),
  );

/** Windows that have closed by themselves are no difference. */
const shownOf = (fact: BootFact | undefined) =>
  fact && {
    ...fact,
    window: fact.window !== null && fact.window.until > Date.now() + 60_000 ? fact.window : null,
  };
