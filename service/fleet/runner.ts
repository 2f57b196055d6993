/** Does runs: claims one, opens sessions with its devices side by side, writes down what they come to. */
import { type DialRow } from '@zpine/core/addressing/dial';
import { FEW, mayTry, newGuard, tried, trying, type LoginGuard } from '@zpine/core/fleet/loginGuard';
import { claimRun, endRun, freeDevice, isStopping, noteRows, takeDevice, waitingRows } from '../app/fleet/work.ts';
import { type ClaimedRun, type RowResult, type Waiting } from '../app/fleet/work.ts';
import { run as inTx, type Actor, type Store } from '../store/tx.ts';
import { type Jump, type Way } from './connect.ts';
import { withSession, type Login } from './reachable.ts';
import { ASK_BYTES, askDevice } from './work/ask.ts';
import { captureDevice, CAPTURE_BYTES } from './work/capture.ts';
import { doErrand, lookAtErrand } from './work/errand.ts';
import { reachDevice } from './work/reach.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

const actor: Actor = { name: 'fleet', via: 'service' };
const IDLE_MS = 250;
const FLUSH_MS = 200;
/** With nothing to write down, the claim is renewed this often. */
const BEAT_MS = 2000;
/** So many runs side by side. */
const MOST_RUNS = 4;
/** So many devices of a run at a time, whatever the layers say. */
const MOST_PARALLEL = 200;
/** How long an errand may have a device for itself. */
const BUSY_SECONDS = 900;

export class Runner {
  private readonly store: Store;
  private readonly way: Way;
  private readonly log: Log;
  private readonly running = new Set<Promise<void>>();
  private stopping = false;
  private wake: (() => void) | undefined;
  private loop: Promise<void> | undefined;

  constructor(store: Store, dialMap: readonly DialRow[], jump: Jump, log: Log) {
    this.store = store;
    this.way = { dialMap, jump, firstContact: false };
    this.log = log;
  }

  start(): void {
    this.loop = this.go();
  }

  async stop(): Promise<void> {
    this.stopping = true;
    this.wake?.();
    await this.loop;
    await Promise.all(this.running);
  }

  private async go(): Promise<void> {
    while (!this.stopping) {
      const claimed =
        this.running.size >= MOST_RUNS
          ? undefined
          : await inTx(this.store, actor, 'run.claim', claimRun).catch((error: unknown) => {
              this.log.warn({ err: error }, 'no run could be claimed');
              return undefined;
            });
      if (claimed) {
        const work = new RunWork(this.store, claimed, this.way, () => this.stopping)
          .go()
          .catch((error: unknown) => this.log.warn({ err: error, run: claimed.id }, 'a run was broken off'))
          .finally(() => this.running.delete(work));
        this.running.add(work);
        continue;
      }
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, IDLE_MS);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    }
  }
}

/** One run from its claim to its end. */
class RunWork {
  private readonly store: Store;
  private readonly run: ClaimedRun;
  private readonly way: Way;
  private readonly closing: () => boolean;
  private readonly guard: LoginGuard = newGuard();
  private begun: number[] = [];
  private results: RowResult[] = [];
  private active = 0;
  /** Sessions under way, by the layer that limits them. */
  private readonly busy = new Map<string, number>();
  private early: string | undefined;
  private lost = false;
  private beatAt = 0;
  private turned: () => void = () => undefined;

  constructor(store: Store, run: ClaimedRun, way: Way, closing: () => boolean) {
    this.store = store;
    this.run = run;
    this.way = way;
    this.closing = closing;
  }

  /** An errand that changes devices tries one alone first, and ends with the first refusal. */
  private get careful(): boolean {
    return this.run.kind === 'errand' && this.run.input.confirmed === true;
  }

  async go(): Promise<void> {
    const pending = await inTx(this.store, actor, 'run.rows', (tx) => waitingRows(tx, this.run));
    let flushing = Promise.resolve();
    const timer = setInterval(() => void (flushing = flushing.then(() => this.flush())), FLUSH_MS);
    try {
      let first = this.careful;
      while ((pending.length > 0 || this.active > 0) && !this.lost) {
        if (this.closing() || this.early !== undefined) pending.length = 0;
        const room = first ? 1 : MOST_PARALLEL;
        while (this.active < room && pending.length > 0) {
          const at = this.next(pending);
          if (at < 0) break;
          const [waiting] = pending.splice(at, 1);
          if (waiting) this.begin(waiting);
        }
        if (this.active > 0) await new Promise<void>((resolve) => (this.turned = resolve));
        if (first && this.active === 0) first = false;
      }
    } finally {
      clearInterval(timer);
      await flushing;
    }
    await this.flush();
    if (this.lost || this.closing()) return;
    await inTx(this.store, actor, 'run.end', (tx) => endRun(tx, this.run, this.early));
  }

  /** The first device that may be tried now. Those whose login was refused too often are done with at once. */
  private next(pending: Waiting[]): number {
    for (let i = 0; i < pending.length; i += 1) {
      const { target } = pending[i] as Waiting;
      const { most, layer } = target.access.parallel;
      if ((this.busy.get(layer) ?? 0) >= most) continue;
      const may = mayTry(this.guard, target.login);
      if (may === 'now') return i;
      if (may === 'later') continue;
      pending.splice(i, 1);
      i -= 1;
      this.results.push({
        device: target.device,
        outcome: 'left out',
        detail: `not tried: ${FEW} devices turned ${target.access.user} away with the same login, and more tries could lock it`,
        startedAt: Date.now(),
        ms: 0,
        result: {},
      });
    }
    return -1;
  }

  private begin(waiting: Waiting): void {
    const { target } = waiting;
    const { layer } = target.access.parallel;
    this.active += 1;
    this.busy.set(layer, (this.busy.get(layer) ?? 0) + 1);
    this.begun.push(target.device);
    trying(this.guard, target.login);
    void this.device(waiting)
      .catch((error: unknown): { row: RowResult; login: Login } => ({
        login: 'unknown',
        row: {
          device: target.device,
          outcome: 'no contact',
          detail: error instanceof Error ? error.message : String(error),
          startedAt: Date.now(),
          ms: 0,
          result: {},
        },
      }))
      .then(({ row, login }) => {
        tried(this.guard, target.login, login);
        this.results.push(row);
        const bad = row.outcome === 'turned down' || row.outcome === 'stopped midway';
        if (this.careful && bad) this.early ??= `${target.key}: ${row.outcome}; the others were left alone`;
        this.active -= 1;
        this.busy.set(layer, (this.busy.get(layer) ?? 1) - 1);
        this.turned();
      });
  }

  private device(waiting: Waiting): Promise<{ row: RowResult; login: Login }> {
    const { kind, input } = this.run;
    const { target } = waiting;
    if (kind === 'reach') return reachDevice(target, this.way);
    if (kind === 'ask')
      return withSession(target, this.way, (session) => askDevice(waiting, input, session), { mostBytes: ASK_BYTES });
    if (kind === 'capture')
      return withSession(target, this.way, (session) => captureDevice(target, session), { mostBytes: CAPTURE_BYTES });
    if (!this.careful) return withSession(target, this.way, (session) => lookAtErrand(waiting, session));
    return this.alone(waiting);
  }

  /** Nobody else changes the device meanwhile. */
  private async alone(waiting: Waiting): Promise<{ row: RowResult; login: Login }> {
    const { target } = waiting;
    const other = await inTx(this.store, actor, 'run.take', (tx) =>
      takeDevice(tx, this.run, target.device, BUSY_SECONDS),
    );
    if (other !== undefined)
      return {
        login: 'unknown',
        row: {
          device: target.device,
          outcome: 'left out',
          detail: `run #${other} is changing it`,
          startedAt: Date.now(),
          ms: 0,
          result: {},
        },
      };
    try {
      return await withSession(target, this.way, (session) => doErrand(waiting, this.run.input, session));
    } finally {
      await inTx(this.store, actor, 'run.free', (tx) => freeDevice(tx, this.run, target.device));
    }
  }

  private async flush(): Promise<void> {
    const { begun, results } = this;
    const now = Date.now();
    if (begun.length + results.length === 0 && now - this.beatAt < BEAT_MS) return;
    this.beatAt = now;
    this.begun = [];
    this.results = [];
    const { held, stop } = await inTx(this.store, actor, 'run.note', async (tx) => ({
      held: await noteRows(tx, this.run, begun, results),
      stop: await isStopping(tx, this.run),
    })).catch((): { held: boolean; stop: boolean } => {
      // The database is away for a while: what was found is written down when it is back.
      this.begun = [...begun, ...this.begun];
      this.results = [...results, ...this.results];
      return { held: true, stop: false };
    });
    if (!held) this.lost = true;
    if (stop) this.early ??= 'the run was stopped';
  }
}
