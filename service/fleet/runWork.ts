/** One run, from its claim to its end: which device is begun with when, and what is done with it. */
import { FEW, mayTry, newGuard, endTry, beginTry, type LoginGuard } from '@zpine/core/fleet/loginGuard';
import { isOwnOperation } from '@zpine/core/dialect/operations';
import type { Outcome } from '@zpine/core/fleet/outcomes';
import { changingKinds } from '@zpine/contract/runKinds';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { allDialects } from '../app/fleet/dialects.ts';
import { capturedTexts } from '../app/fleet/captures.ts';
import { notAsked, type Asked } from '../app/checks/judging.ts';
import type { Look } from '../app/checks/looking.ts';
import { plannedChecks, type PlannedCheck } from '../app/checks/planned.ts';
import { expectBack } from '../app/fleet/operations.ts';
import { endRun, freeDevice, reserveDevice, waitingRows, wishesFor } from '../app/fleet/work.ts';
import { release } from '../store/claims.ts';
import type { Target } from '../app/fleet/access.ts';
import type { IntendedEdition, ReadTexts } from '../app/fleet/compared.ts';
import type { ClaimedRun, RowResult, Waiting } from '../app/fleet/work.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly, transact } from '../store/transact.ts';
import type { ConnectOptions } from './connect.ts';
import { RunLedger } from './ledger.ts';
import {
  noDialect,
  sessionWith,
  signedInAgain,
  signedInByKey,
  withSession,
  type Done,
  type Login,
} from './reachable.ts';
import type { Session } from './session.ts';
import { ASK_BYTES, askDevice } from './work/ask.ts';
import { captureDevice, capturedFiles, CAPTURE_BYTES, secretsOf } from './work/capture.ts';
import { editionsAhead, looksAhead, type Ahead } from './work/ahead.ts';
import { doChange, lookAtChange } from './work/change.ts';
import { askFor, checksOf, judgedDone, needsSession, tryFactory, unasked } from './work/check.ts';
import { comparedTexts, compareDevice } from './work/compare.ts';
import { placedFiles } from './work/filing.ts';
import { doNamed, lookAtNamed } from './work/operate.ts';
import { doOperation, lookAtOperation } from './work/operation.ts';
import { reachDevice } from './work/reach.ts';
import { doRestore, lookAtRestore } from './work/restore.ts';
import { doUpgrade, lookAtUpgrade } from './work/upgrade.ts';

/** After these, others may be begun with at the same time. */
const PROVES: readonly Outcome[] = ['brought over', 'already right', 'done'];
/** So many devices of a run at a time, whatever the layers say. */
const MOST_PARALLEL = 200;
/** After these, what changes devices goes no further. */
const STOPS: readonly Outcome[] = [
  'turned down',
  'never taken',
  'dark on the device',
  'not as expected',
  'stopped midway',
];
const PAUSED_MS = 500;
/** So often it is looked whether a device that another run changes is free. */
const TURN_MS = 1000;
/** The second wave of what changes devices. */
const A_FEW = 5;
/** How long an errand may have a device for itself. */
const BUSY_SECONDS = 900;
/** An image is fetched over whatever line there is, and the device restarts with it, and maybe back. */
const UPGRADE_SECONDS = 4 * 3600;

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
  /** Devices that are being worked on, by their site. */
  private readonly atSite = new Map<number, number>();
  private early: string | undefined;
  /** How many devices were brought over, or were right already: one goes first, then a few, then all that there is room for. */
  private proved = 0;
  private editions: Ahead<IntendedEdition> | undefined;
  private looks: Ahead<Look> | undefined;
  private dialects: Promise<Dialect[]> | undefined;
  private checks: PlannedCheck[] = [];
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
    return this.confirmed && this.run.input.harmless !== true;
  }

  /** It is done now, and not only looked at. */
  private get confirmed(): boolean {
    return changingKinds.includes(this.run.kind) && this.run.input.confirmed === true;
  }

  async go(): Promise<void> {
    try {
      const { pending, paused, checks } = await transact(this.store, this.actor, 'run.rows', async (tx) => ({
        pending: await waitingRows(tx, this.run),
        checks: await plannedChecks(tx, this.run.input.checks ?? []),
        ...(await wishesFor(tx, this.run)),
      }));
      this.ledger.paused = paused;
      const order = pending.map(({ target }) => target.device);
      this.editions = editionsAhead(this.store, this.actor, order);
      this.checks = checks;
      this.looks = looksAhead(this.store, this.actor, order, checks);
      while ((pending.length > 0 || this.active > 0) && !this.ledger.lost) {
        if (this.ledger.stopping) this.early ??= 'the run was stopped';
        if (this.closing() || this.early !== undefined) pending.length = 0;
        if (!this.ledger.paused) this.beginAll(pending);
        const waits = this.ledger.paused && pending.length > 0;
        if (this.active > 0 || waits)
          await new Promise<void>((resolve) => {
            this.turned = resolve;
            // Who waits for somebody's word looks now and then whether the service is to end.
            if (waits) setTimeout(resolve, PAUSED_MS).unref();
          });
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
    const room = !this.careful
      ? MOST_PARALLEL
      : this.proved === 0
        ? 1
        : this.proved < 1 + A_FEW
          ? A_FEW
          : MOST_PARALLEL;
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
      if ((this.busy.get(layer) ?? 0) >= most || this.isFull(target)) continue;
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

  /** As many devices of its site are being changed as may be. */
  private isFull({ site }: Target): boolean {
    const { perSite } = this.run.input;
    return this.careful && perSite !== undefined && site !== null && (this.atSite.get(site) ?? 0) >= perSite;
  }

  private begin(waiting: Waiting): void {
    const { target } = waiting;
    const { layer } = target.access.parallel;
    this.active += 1;
    this.busy.set(layer, (this.busy.get(layer) ?? 0) + 1);
    const { site } = target;
    if (site !== null) this.atSite.set(site, (this.atSite.get(site) ?? 0) + 1);
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
        const bad = row.outcome !== null && STOPS.includes(row.outcome);
        if (row.outcome !== null && PROVES.includes(row.outcome)) this.proved += 1;
        if (this.careful && bad)
          this.early ??= `${target.key}: ${row.outcome}; devices not started yet were not touched`;
        this.active -= 1;
        this.busy.set(layer, (this.busy.get(layer) ?? 1) - 1);
        if (site !== null) this.atSite.set(site, (this.atSite.get(site) ?? 1) - 1);
        this.turned();
      });
  }

  private device(waiting: Waiting): Promise<{ row: RowResult; login: Login }> {
    const { kind, input } = this.run;
    const { target } = waiting;
    if (kind === 'reach') return reachDevice(target, this.way, () => this.allDialects());
    if (kind === 'ask')
      return withSession(target, this.way, (session) => askDevice(waiting, input, session), { mostBytes: ASK_BYTES });
    if (kind === 'capture')
      return withSession(target, this.way, (session) => this.captured(target, session), { mostBytes: CAPTURE_BYTES });
    if (kind === 'compare')
      return input.captured === true
        ? this.byCaptures(target)
        : withSession(
            target,
            this.way,
            async (session) => compareDevice(target, session, await this.intended(target)),
            {
              mostBytes: CAPTURE_BYTES,
            },
          );
    if (kind === 'check') return this.judged(waiting);
    const leftOut = leftOutIn(waiting.sealed);
    if (leftOut !== undefined) return Promise.resolve(done(target, { outcome: 'left out', detail: leftOut }));
    if (!this.confirmed)
      return withSession(target, this.way, (session) => {
        if (kind === 'upgrade') return lookAtUpgrade(waiting, input, session);
        if (kind === 'operation')
          return isOwnOperation(input.operation ?? '')
            ? lookAtOperation(target, input, session)
            : lookAtNamed(waiting, input, session);
        return kind === 'restore'
          ? lookAtRestore(waiting, input, session)
          : lookAtChange(kind, waiting, input, session);
      });
    return this.alone(waiting);
  }

  private allDialects(): Promise<Dialect[]> {
    return (this.dialects ??= readOnly(this.store, this.actor, allDialects));
  }

  private intended({ device }: Target): Promise<IntendedEdition | undefined> {
    return this.editions?.of(device) ?? Promise.resolve(undefined);
  }

  /** What was captured is held against the edition at once. */
  private async captured(target: Target, session: Session): Promise<Done> {
    const found = await captureDevice(target, session);
    const intended = await this.intended(target);
    const files = target.dialect && (await placedFiles(session, target.dialect, intended));
    const captured = [
      ...(found.captured ?? []),
      ...(target.dialect ? capturedFiles(target.dialect, target, secretsOf(intended), files) : []),
    ];
    const text = (file: string) => found.captured?.find((one) => one.file === file)?.content.toString('utf8');
    const running = text('running');
    return {
      ...found,
      ...(captured.length > 0 ? { captured } : {}),
      ...driftFound(target, intended, { running, stored: text('stored'), files }),
    };
  }

  /** Without asking the device for anything. */
  private async byCaptures(target: Target): Promise<{ row: RowResult; login: Login }> {
    if (!target.dialect) return done(target, { outcome: 'left out', detail: noDialect(target) });
    const texts = await readOnly(this.store, this.actor, (tx) => capturedTexts(tx, target.device));
    if (!texts) return done(target, { outcome: 'left out', detail: 'nothing of it was captured yet' });
    return done(target, comparedTexts(target, await this.intended(target), texts));
  }

  /** Where nobody has to be asked, or can be, it is judged by what is known. */
  private async judged(waiting: Waiting): Promise<{ row: RowResult; login: Login }> {
    const { target } = waiting;
    const checks = checksOf(waiting, this.checks);
    const look = await this.looks?.of(target.device);
    if (!look || checks.length === 0)
      return done(target, { outcome: 'left out', detail: look ? 'its checks are gone' : 'this device is gone' });
    const judge = (asked: Asked): Done => judgedDone(target, look, checks, asked, this.store.sealer);
    if (this.run.input.captured === true) return done(target, judge(notAsked(look)));
    const whole = async (asked: Asked): Promise<Done> => {
      if (checks.some(({ uses }) => uses.factory)) await tryFactory(target, this.way, asked);
      return judge(asked);
    };
    if (!needsSession(checks) || !target.dialect) {
      const startedAt = Date.now();
      return done(target, { ...(await whole(notAsked({ texts: undefined }))), startedAt, ms: Date.now() - startedAt });
    }
    const found = await withSession(
      target,
      this.way,
      async (session) => {
        const { asked, captured } = await askFor(target, session, checks);
        const intended = await this.intended(target);
        const files = target.dialect && (await placedFiles(session, target.dialect, intended));
        const drift = asked.texts ? driftFound(target, intended, { ...asked.texts, files }) : {};
        return { ...(await whole(asked)), captured, ...drift };
      },
      { mostBytes: CAPTURE_BYTES },
    );
    if (found.row.judged) return found;
    // It is judged all the same: what was not asked is not known.
    const asked = unasked(`no contact: ${found.row.detail}`, checks);
    return {
      login: found.login,
      row: { ...found.row, ...judge(asked), outcome: 'no contact', detail: found.row.detail },
    };
  }

  private expected({ device }: Target, hours: number): Promise<void> {
    return transact(this.store, this.actor, 'arrival.open', (tx) => expectBack(tx, device, hours));
  }

  /** Waits until the device is its own; gives the run that has it still when there is no more waiting. */
  private async turn({ device }: Target): Promise<number | undefined> {
    const until = Date.now() + BUSY_SECONDS * 1000;
    for (;;) {
      const other = await transact(this.store, this.actor, 'run.take', (tx) =>
        reserveDevice(tx, this.run, device, this.run.kind === 'upgrade' ? UPGRADE_SECONDS : BUSY_SECONDS),
      );
      const waitsOn = !this.closing() && !this.ledger.stopping && !this.ledger.lost && Date.now() < until;
      if (other === undefined || !waitsOn) return other;
      await new Promise((resolve) => setTimeout(resolve, TURN_MS));
    }
  }

  /** Nobody else changes the device meanwhile. */
  private async alone(waiting: Waiting): Promise<{ row: RowResult; login: Login }> {
    const { target } = waiting;
    const other = await this.turn(target);
    if (other !== undefined) return done(target, { outcome: 'left out', detail: `run #${other} is changing it` });
    try {
      const intended = await this.intended(target);
      return await withSession(target, this.way, async (session) => {
        const { kind, input } = this.run;
        const again = () => signedInAgain(target, this.way);
        const reopen = () => sessionWith(target, { ...this.way, firstContact: false });
        if (kind === 'operation' && !isOwnOperation(input.operation ?? ''))
          return doNamed(waiting, input, session, {
            reopen,
            withKey: (fingerprint) => signedInByKey(target, this.way, fingerprint),
          });
        if (kind === 'operation') {
          // A wiped device boots at once: it is expected before it is told.
          if (input.hours !== undefined) await this.expected(target, input.hours);
          return doOperation(target, input, session, reopen, intended);
        }
        if (kind === 'upgrade') return doUpgrade(waiting, input, session, reopen, intended);
        if (kind === 'restore') return doRestore(waiting, input, session, again, reopen, intended);
        return doChange(kind, waiting, input, session, again, intended);
      });
    } finally {
      await transact(this.store, this.actor, 'run.free', (tx) => freeDevice(tx, this.run, target.device));
    }
  }
}

/** What was read, held against the edition at once. */
function driftFound(
  target: Target,
  intended: IntendedEdition | undefined,
  { running, stored, files }: Omit<ReadTexts, 'running'> & { running: string | undefined },
): Pick<Done, 'drift'> {
  if (running === undefined) return {};
  const { drift } = comparedTexts(target, intended, { running, stored, files });
  return drift ? { drift } : {};
}

/** What needed no session. */
const done = (target: Target, what: Done & Partial<RowResult>): { row: RowResult; login: Login } => ({
  login: 'unknown',
  row: { device: target.device, startedAt: Date.now(), ms: 0, result: {}, ...what },
});

/** Why a device is left out, where that was known beforehand. */
const leftOutIn = (sealed: string | undefined): string | undefined =>
  sealed === undefined ? undefined : (JSON.parse(sealed) as { leftOut?: string }).leftOut;
