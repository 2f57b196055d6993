/** One run, from its claim to its end: which device is begun with when, and what is done with it. */
import { FEW, mayTry, newGuard, endTry, beginTry, type LoginGuard } from '@zpine/core/fleet/loginGuard';
import { endRun, freeDevice, reserveDevice, waitingRows } from '../app/fleet/work.ts';
import { release } from '../store/claims.ts';
import type { ClaimedRun, RowResult, Waiting } from '../app/fleet/work.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { ConnectOptions } from './connect.ts';
import { RunLedger } from './ledger.ts';
import { signedInAgain, withSession, type Login } from './reachable.ts';
import { ASK_BYTES, askDevice } from './work/ask.ts';
import { captureDevice, CAPTURE_BYTES } from './work/capture.ts';
import { doErrand, lookAtErrand } from './work/errand.ts';
import { reachDevice } from './work/reach.ts';

/** So many devices of a run at a time, whatever the layers say. */
const MOST_PARALLEL = 200;
/** How long an errand may have a device for itself. */
const BUSY_SECONDS = 900;

export class RunWork {
  private readonly store: Store;
  private readonly run: ClaimedRun;
  private readonly way: ConnectOptions;
  private readonly closing: () => boolean;
  private readonly guard: LoginGuard = newGuard();
  private readonly ledger: RunLedger;
  private readonly actor: Actor;
  private active = 0;
  /** Sessions under way, by the layer that limits them. */
  private readonly busy = new Map<string, number>();
  private early: string | undefined;
  /** A device was brought over, or was right already: the others may follow side by side. */
  private proved = false;
  private turned: () => void = () => undefined;

  constructor(store: Store, run: ClaimedRun, way: ConnectOptions, actor: Actor, closing: () => boolean) {
    this.store = store;
    this.run = run;
    this.way = way;
    this.actor = actor;
    this.closing = closing;
    this.ledger = new RunLedger(store, run, actor);
  }

  /** An errand that changes devices tries one alone first, and ends with the first refusal. */
  private get careful(): boolean {
    return this.run.kind === 'errand' && this.run.input.confirmed === true;
  }

  async go(): Promise<void> {
    try {
      const pending = await transact(this.store, this.actor, 'run.rows', (tx) => waitingRows(tx, this.run));
      while ((pending.length > 0 || this.active > 0) && !this.ledger.lost) {
        if (this.ledger.stopping) this.early ??= 'the run was stopped';
        if (this.closing() || this.early !== undefined) pending.length = 0;
        this.beginAll(pending);
        if (this.active > 0) await new Promise<void>((resolve) => (this.turned = resolve));
      }
    } finally {
      await this.ledger.close();
    }
    if (this.ledger.lost) return;
    if (this.closing()) await transact(this.store, this.actor, 'run.release', (tx) => release(tx, this.run.lease));
    else await transact(this.store, this.actor, 'run.end', (tx) => endRun(tx, this.run, this.early));
  }

  /** As many as there is room for. */
  private beginAll(pending: Waiting[]): void {
    const room = this.careful && !this.proved ? 1 : MOST_PARALLEL;
    while (this.active < room) {
      const at = this.next(pending);
      if (at < 0) return;
      const [waiting] = pending.splice(at, 1);
      if (waiting) this.begin(waiting);
    }
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
      this.ledger.done({
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
    this.ledger.begin(target.device);
    beginTry(this.guard, target.login);
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
        endTry(this.guard, target.login, login);
        this.ledger.done(row);
        const bad = row.outcome === 'turned down' || row.outcome === 'stopped midway';
        this.proved ||= row.outcome === 'brought over' || row.outcome === 'already right';
        if (this.careful && bad)
          this.early ??= `${target.key}: ${row.outcome}; devices not started yet were not touched`;
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
    if (!this.careful)
      return withSession(target, this.way, (session) => lookAtErrand(waiting, this.run.input, session));
    return this.alone(waiting);
  }

  /** Nobody else changes the device meanwhile. */
  private async alone(waiting: Waiting): Promise<{ row: RowResult; login: Login }> {
    const { target } = waiting;
    const other = await transact(this.store, this.actor, 'run.take', (tx) =>
      reserveDevice(tx, this.run, target.device, BUSY_SECONDS),
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
      return await withSession(target, this.way, (session) =>
        doErrand(waiting, this.run.input, session, () => signedInAgain(target, this.way)),
      );
    } finally {
      await transact(this.store, this.actor, 'run.free', (tx) => freeDevice(tx, this.run, target.device));
    }
  }
}
