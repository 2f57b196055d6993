/** Looks at devices that are watched, sends notices, and begins captures when they are due. */
import { createTransport, type Transporter } from 'nodemailer';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { planRoutines } from '../app/routines/plan.ts';
import { planChecks } from '../app/checks/runs.ts';
import { clockNow } from '../app/checks/turns.ts';
import { captureDue } from '../app/fleet/captureDue.ts';
import { changedSince, type SeenEvents } from '../app/fleet/planned.ts';
import { makeRun } from '../app/fleet/runs.ts';
import { claimLooks, saveLook, planWatch, REACH, type DueLook, type Look } from '../app/fleet/watch.ts';
import { claimDelivery, saveDelivery } from '../app/fleet/deliveries.ts';
import { deliver } from './deliver.ts';
import { claimLetter, gatherLetters, saveLetter, type Letter, type Writing } from '../app/fleet/letters.ts';
import { whileHeld } from '../store/claims.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly, transact } from '../store/transact.ts';
import type { ConnectOptions } from './connect.ts';
import { withSession } from './reachable.ts';
import type { Session } from './session.ts';
import { PollLoop } from '../store/turns.ts';
import { Faults } from '../store/faults.ts';

interface Log {
  warn: (what: object, text: string) => void;
}

export interface Mail extends Omit<Writing, 'mails'> {
  /** `smtp://host:port`; empty: nobody gets a letter. */
  server: string;
  from: string;
}

const actor: Actor = { name: 'watch', via: 'service' };
const TURN_MS = 1000;
const PLAN_MS = 60_000;
/** All of it is planned anew at least so often, whatever was seen of changes. */
const WHOLE_MS = 10 * 60_000;
const AT_ONCE = 40;
/** So many letters are sent in one turn. */
const LETTERS = 20;

/** A server that says nothing keeps no letter waiting for minutes. What its URL says itself goes before. */
function patient(server: string): string {
  const url = new URL(server);
  const limits = { connectionTimeout: 10_000, greetingTimeout: 10_000, socketTimeout: 20_000 };
  for (const [name, ms] of Object.entries(limits))
    if (!url.searchParams.has(name)) url.searchParams.set(name, String(ms));
  return url.href;
}

export class Watcher {
  private readonly store: Store;
  private readonly way: ConnectOptions;
  private readonly mail: Mail;
  private readonly faults: Faults;
  private readonly post: Transporter | undefined;
  private readonly turns = new PollLoop(TURN_MS, () => this.safely());
  private plannedAt = 0;
  private wholeAt = 0;
  private events: SeenEvents | undefined;
  private nextCapture: number | undefined;

  constructor(store: Store, way: ConnectOptions, mail: Mail, log: Log) {
    this.store = store;
    this.way = way;
    this.mail = mail;
    this.faults = new Faults(log);
    this.post = mail.server === '' ? undefined : createTransport(patient(mail.server));
  }

  start(): void {
    this.turns.start();
  }

  async stop(): Promise<void> {
    await this.turns.stop();
    this.post?.close();
  }

  private async safely(): Promise<boolean> {
    await this.turn().catch((error: unknown) => this.faults.say(error, 'watching was broken off'));
    return false;
  }

  private async turn(): Promise<void> {
    if (Date.now() - this.plannedAt > PLAN_MS) await this.planAgain();
    const room = AT_ONCE - this.turns.running.size;
    const due = room > 0 ? await transact(this.store, actor, 'watch.claim', (tx) => claimLooks(tx, room)) : [];
    for (const one of due)
      this.turns.beside(
        whileHeld(this.store, actor, one.lease, () => this.look(one)).catch((error: unknown) =>
          this.faults.say(error, 'a device could not be looked at', { device: one.target.key }),
        ),
      );
    await transact(this.store, actor, 'letter.gather', (tx) =>
      gatherLetters(tx, { ...this.mail, mails: this.post !== undefined }),
    );
    if (this.post) await this.letters(this.post);
    await this.messages();
  }

  /** All of it where anything has changed by which devices are planned; else only what its time has come for. */
  private async planAgain(): Promise<void> {
    const { now, touched } = await readOnly(this.store, actor, (tx) => changedSince(tx, this.events));
    const whole = touched === undefined || Date.now() - this.wholeAt > WHOLE_MS;
    // What is saved from here on is looked at in the next turn.
    this.events = now;
    if (whole) return this.planNow();
    this.plannedAt = Date.now();
    if (touched.length > 0) {
      await transact(this.store, actor, 'watch.plan', (tx) => planWatch(tx, touched));
      const { next } = await readOnly(this.store, actor, (tx) => captureDue(tx, touched));
      this.nextCapture = Math.min(this.nextCapture ?? Infinity, next ?? Infinity);
    }
    if (this.nextCapture !== undefined && this.nextCapture <= Date.now()) await this.captures();
    await this.byTheClock();
  }

  /** Looks at the settings: which devices are watched, whose capture is due. */
  async planNow(): Promise<void> {
    this.plannedAt = this.wholeAt = Date.now();
    await transact(this.store, actor, 'watch.plan', (tx) => planWatch(tx));
    await this.captures();
    await this.byTheClock();
  }

  private async byTheClock(): Promise<void> {
    await transact(this.store, actor, 'check.due', (tx) => planChecks(tx, clockNow()));
    await transact(this.store, actor, 'routine.due', (tx) => planRoutines(tx, clockNow()));
  }

  private captures(): Promise<void> {
    return transact(this.store, actor, 'capture.due', async (tx) => {
      const { devices, next } = await captureDue(tx);
      this.nextCapture = next;
      if (devices.length === 0) return;
      const waiting = await tx.one(
        "SELECT 1 AS one FROM run WHERE kind = 'capture' AND made_by = ? AND state <> 'ended' LIMIT 1",
        [actor.name],
      );
      if (waiting) return;
      await makeRun(tx, {
        kind: 'capture',
        title: 'Capture, as planned',
        input: { asks: [], expect: [] },
        selected: { devices, words: 'devices whose capture is due' },
      });
    });
  }

  private async look(due: DueLook): Promise<void> {
    const { target } = due;
    const states: Look['states'] = new Map();
    const { row } = await withSession(target, this.way, async (session) => {
      for (const [what, state] of await interfacesOf(session, target.dialect)) states.set(what, { state, detail: '' });
      return { outcome: 'reached', detail: '' };
    });
    states.set(REACH, { state: row.outcome === 'reached' ? 'reached' : 'not reached', detail: row.detail });
    const look: Look = { device: target.device, deviceKey: target.key, states };
    await transact(this.store, actor, 'watch.note', (tx) => saveLook(tx, look, due));
  }

  private async letters(post: Transporter): Promise<void> {
    for (let sent = 0; sent < LETTERS; sent += 1) {
      const letter = await transact(this.store, actor, 'letter.claim', claimLetter);
      if (!letter) return;
      const fault = await whileHeld(this.store, actor, letter.lease, () => this.send(post, letter));
      await transact(this.store, actor, 'letter.note', (tx) => saveLetter(tx, letter, fault));
    }
  }

  private async messages(): Promise<void> {
    for (let sent = 0; sent < LETTERS; sent += 1) {
      const delivery = await transact(this.store, actor, 'delivery.claim', claimDelivery);
      if (!delivery) return;
      const fault = await whileHeld(this.store, actor, delivery.lease, () => deliver(delivery, this.store.hookHosts));
      await transact(this.store, actor, 'delivery.note', (tx) => saveDelivery(tx, delivery, fault));
    }
  }

  /** Gives what went wrong. */
  private async send(post: Transporter, letter: Letter): Promise<string | undefined> {
    try {
      await post.sendMail({
        from: this.mail.from,
        to: letter.to,
        subject: letter.subject,
        text: letter.text,
        // The same notice sent twice is one letter to whoever sorts by it.
        messageId: `<letter-${letter.id}@${this.mail.from.split('@')[1]?.replace(/>.*/, '') ?? 'zpine'}>`,
      });
      return undefined;
    } catch (error) {
      return error instanceof Error ? error.message : String(error);
    }
  }
}

/** The states of interfaces, by the device's own names. */
async function interfacesOf(session: Session, dialect: Dialect | undefined): Promise<[string, string][]> {
  const question = dialect?.sheet.questions.interfaces;
  if (!dialect || !question) return [];
  const { text, refused } = await session.run(question.command);
  if (refused !== undefined) return [];
  return dialect
    .rowsOf('interfaces', text)
    .flatMap(({ interface: name, state }) =>
      name === undefined || state === undefined ? [] : [[name, state] as [string, string]],
    );
}
