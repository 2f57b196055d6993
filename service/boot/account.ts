/** Gathers what is told of booting devices, and writes it down beside the answers: bounded, the same things counted. */
import { setTimeout as pause } from 'node:timers/promises';
import type { Client } from '@zpine/core/dhcp/client';
import type { Vain } from '../app/arrivals/vain.ts';
import type { BootNote } from '../app/boot/records.ts';
import { saveTold, type SeenStranger, type Told } from '../app/boot/account.ts';
import type { Faults } from '../store/faults.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import { Batches } from './batches.ts';
import { isDatabaseAway } from './ledger.ts';

const actor: Actor = { name: 'boot', via: 'service' };
/** Of one unit of work; of arrivals fewer, which lock their devices. */
const MOST = 400;
const MOST_ARRIVALS = 40;
const GATHER_MS = 20;
/** So much waits at a time; what is more is counted and left out, notes first. */
const ROOM = 4000;
const AGAIN_MS = 500;
const SETTLED_MS = 400;
const LOOK_MS = 5;

export class Account {
  private readonly store: Store;
  private readonly faults: Faults;
  private readonly batches = new Batches<string>(MOST, GATHER_MS, (names) => this.write(names));
  /** What waits, by what it is about: the same again only counts. */
  private readonly waiting = new Map<string, Told>();
  /** Devices of whose arrivals something waits, with how much. */
  private readonly arriving = new Map<number, number>();
  /** What is being written just now. */
  private readonly writing = new Set<string>();
  private owing = false;
  private stopping = false;
  private seq = 0;
  private leftOut = 0;

  constructor(store: Store, faults: Faults) {
    this.store = store;
    this.faults = faults;
  }

  /** `at`: ms since 1970. */
  note(note: BootNote, at: number, times = 1): void {
    const { protocol, what, outcome, mac, address, device, detail } = note;
    const name = `note ${[protocol, what, outcome, mac, address, device, detail].join('\n')}`;
    const before = this.waiting.get(name);
    if (before?.is === 'note') {
      before.note.times += times;
      before.note.lastAt = at;
      return;
    }
    this.take(name, { is: 'note', note: { ...note, at, lastAt: at, times } });
  }

  stranger(stranger: Omit<SeenStranger, 'packets'>): void {
    const name = `stranger ${stranger.client.word}`;
    const before = this.waiting.get(name);
    const packets = before?.is === 'stranger' ? before.stranger.packets + 1 : 1;
    this.take(name, { is: 'stranger', stranger: { ...stranger, packets } });
  }

  known(device: number, client: Client): void {
    const { word, mac, serial } = client;
    this.take(`known ${word}`, { is: 'known', device, client: { word, mac, serial } });
  }

  vain(device: number, vain: Vain): void {
    this.take(`vain ${device} ${(this.seq += 1)}`, { is: 'vain', device, vain });
  }

  relay(link: { id: number }, relay: string, source: string): void {
    this.take(`relay ${relay} ${source}`, { is: 'relay', link, relay, source });
  }

  arrival(device: number, happened: Extract<Told, { is: 'arrival' }>['happened']): void {
    if (happened.length === 0) return;
    this.arriving.set(device, (this.arriving.get(device) ?? 0) + 1);
    this.take(`arrival ${device} ${(this.seq += 1)}`, { is: 'arrival', device, happened });
  }

  /**
   * What was told of a device's arrival so far is written down: a file is asked for after the lease that it is asked by. It
   * is not waited for longer than a client waits.
   */
  async settled(who: { device: number | null; word: string } | undefined): Promise<void> {
    if (!who) return;
    const { device, word } = who;
    const stranger = `stranger ${word}`;
    const waits = () =>
      device === null ? this.waiting.has(stranger) || this.writing.has(stranger) : this.arriving.has(device);
    const until = performance.now() + SETTLED_MS;
    while (waits() && performance.now() < until) await pause(LOOK_MS);
  }

  async stop(): Promise<void> {
    this.stopping = true;
    await this.batches.idle();
  }

  private take(name: string, told: Told): void {
    if (this.waiting.has(name)) {
      this.waiting.set(name, told);
      return;
    }
    if (this.waiting.size >= ROOM && told.is !== 'arrival') {
      this.leftOut += 1;
      return;
    }
    this.waiting.set(name, told);
    if (!this.owing) this.batches.add(name);
  }

  private async write(names: string[]): Promise<void> {
    const taken = names.flatMap((name): [string, Told][] => {
      const told = this.waiting.get(name);
      this.waiting.delete(name);
      return told ? [[name, told]] : [];
    });
    for (const name of names) this.writing.add(name);
    try {
      await this.writeAll(taken);
    } finally {
      for (const name of names) this.writing.delete(name);
    }
  }

  private async writeAll(taken: [string, Told][]): Promise<void> {
    const arrivals = taken.filter(([, { is }]) => is === 'arrival');
    const others = taken.filter(([, { is }]) => is !== 'arrival');
    for (let at = 0; at < arrivals.length; at += MOST_ARRIVALS)
      await this.saveAll(arrivals.slice(at, at + MOST_ARRIVALS));
    if (others.length > 0) await this.saveAll(others);
    this.tellLeftOut();
  }

  /** What had no room is told as a number, when there is some again. */
  private tellLeftOut(): void {
    if (this.leftOut === 0 || this.owing || this.waiting.size > ROOM / 2) return;
    const detail = `${this.leftOut} notes were left out: more happened at a time than is kept`;
    this.leftOut = 0;
    this.note({ protocol: 'dhcp', what: 'packet', outcome: 'dropped', detail }, Date.now());
  }

  private async saveAll(taken: [string, Told][]): Promise<void> {
    const fault = await this.save(taken.map(([, told]) => told));
    // What the database is away for waits on.
    if (!isDatabaseAway(fault)) for (const [, told] of taken) if (told.is === 'arrival') this.arrived(told.device);
    if (fault === undefined) return;
    if (!isDatabaseAway(fault)) {
      // One that cannot be written keeps no other from being.
      for (const [, told] of taken.length > 1 ? taken : []) await this.save([told]);
      return;
    }
    if (this.stopping) return;
    for (const [name, told] of taken) if (!this.waiting.has(name)) this.waiting.set(name, told);
    this.later();
  }

  private arrived(device: number): void {
    const left = (this.arriving.get(device) ?? 1) - 1;
    if (left > 0) this.arriving.set(device, left);
    else this.arriving.delete(device);
  }

  private async save(told: Told[]): Promise<unknown> {
    try {
      await transact(this.store, actor, 'boot', (tx) => saveTold(tx, told));
      return undefined;
    } catch (error) {
      this.faults.say(error, 'what booting devices did could not be written down');
      return error ?? new Error('it failed');
    }
  }

  /** The database is away: what is there waits for it, in its order. */
  private later(): void {
    if (this.owing) return;
    this.owing = true;
    setTimeout(() => {
      this.owing = false;
      for (const name of [...this.waiting.keys()]) this.batches.add(name);
    }, AGAIN_MS).unref();
  }
}
