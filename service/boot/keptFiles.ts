/**
 * Files of published editions, held for the time in which the database is away: under seal, bounded, and none that was
 * confirmed longer ago than a client is believed for. While the database answers, nobody is given anything from here.
 */
import type { BootFact, BootMemory } from '@zpine/core/dhcp/memory';
import type { FileAnswer } from '../app/boot/fileAnswer.ts';
import type { Asked, FileHolder } from '../app/boot/files.ts';
import { openedFile, sealedFiles, type SealedFiles } from '../app/boot/sealed.ts';
import type { Faults } from '../store/faults.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';
import { PollLoop } from '../store/turns.ts';
import type { BootClock } from './clock.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const TURN_MS = 1000;
/** Devices that are read together. */
const SLICE = 50;
/** What is held is confirmed again after so long, and given for so long after it was. */
const CONFIRM_MS = 10 * 60_000;
const BELIEVED_MS = 30 * 60_000;
/** Signs under seal: some two thousand editions of a usual size. */
const MOST_SIGNS = 64 * 1024 * 1024;

type Kept = SealedFiles & { word: string; at: number };

/** What was given without the database having been asked, and when it was asked last, ms since 1970. */
export type FromMemory = FileAnswer & { confirmed?: number };

export class KeptFiles {
  private readonly store: Store;
  private readonly memory: BootMemory;
  private readonly clock: BootClock;
  private readonly faults: Faults;
  private readonly loop = new PollLoop(TURN_MS, () => this.turn());
  private readonly kept = new Map<number, Kept>();
  private signs = 0;

  constructor(store: Store, memory: BootMemory, clock: BootClock, faults: Faults) {
    this.store = store;
    this.memory = memory;
    this.clock = clock;
    this.faults = faults;
  }

  start(): void {
    this.loop.start();
  }

  stop(): Promise<void> {
    return this.loop.stop();
  }

  private async turn(): Promise<boolean> {
    const now = this.clock.now();
    for (const [device, one] of this.kept) if (!isOf(this.memory.fact(device), one, now)) this.drop(device);
    if (this.memory.away || this.memory.partial) return false;
    const due: BootFact[] = [];
    for (const fact of this.memory.waiting(now)) {
      const held = this.kept.get(fact.id);
      const fresh = held && isOf(fact, held, now) && now - held.at < CONFIRM_MS;
      if (!fresh && (held || this.signs < MOST_SIGNS)) due.push(fact);
      if (due.length === SLICE) break;
    }
    if (due.length === 0) return false;
    try {
      await this.read(due, now);
    } catch (error) {
      this.faults.say(error, 'files could not be held for the time in which the database is away');
      return false;
    }
    return due.length === SLICE;
  }

  private async read(due: readonly BootFact[], now: number): Promise<void> {
    const editions = due.flatMap(({ edition }) => edition?.id ?? []);
    const found = new Map(
      (await readOnly(this.store, actor, (tx) => sealedFiles(tx, editions))).map((one) => [one.device, one]),
    );
    for (const { id, window, edition } of due) {
      const files = found.get(id);
      this.drop(id);
      if (!window || files?.edition !== edition?.id || !files) continue;
      this.kept.set(id, { ...files, word: window.word, at: now });
      this.signs += files.content.length;
    }
  }

  private drop(device: number): void {
    this.signs -= this.kept.get(device)?.content.length ?? 0;
    this.kept.delete(device);
  }

  /** `holder`: who has the address that is asked from. */
  give(asked: Asked, holder: FileHolder | undefined): FromMemory {
    const refused = (why: string): FileAnswer => ({ ok: false, code: 'access', why });
    const fact = holder?.device ? this.memory.fact(holder.device) : undefined;
    if (!fact) return { ok: false, code: 'not-found', why: `${asked.from} is leased to nobody who is known` };
    const now = this.clock.now();
    const held = this.kept.get(fact.id);
    if (!fact.window || fact.window.until <= now) return refused(`the arrival window of ${fact.key} is closed`);
    if (asked.transport === 'http' && asked.word !== fact.window.word && asked.word !== held?.token)
      return refused(`the URL is not that of ${fact.key} and its arrival window`);
    if (!held || !isOf(fact, held, now))
      return refused(`the database is away, and no edition of ${fact.key} is held that was confirmed a short time ago`);
    const name = asked.name.replace(/^\/+/, '');
    const named = this.memory.filesOf(fact.id, holder?.mac ?? '').find((one) => one.name === name);
    if (named?.leg) return refused('the database is away, and the text of a leg is made with its help');
    const inside = name.startsWith(`${fact.key}/`) ? name.slice(fact.key.length + 1) : undefined;
    const file = named || inside ? openedFile(this.store.sealer, held, named ? '' : (inside ?? '')) : undefined;
    return file
      ? { ok: true, ...file, further: named === undefined, confirmed: held.at }
      : { ok: false, code: 'not-found', why: `${fact.key} has no such file` };
  }
}

/** Whether what is held is what the device would be given now. */
const isOf = (fact: BootFact | undefined, { edition, word, at }: Kept, now: number): boolean =>
  fact?.edition?.id === edition && fact.window?.word === word && now - at < BELIEVED_MS;
