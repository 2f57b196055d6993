/**
 * Starts the processes that the service consists of, and starts them again when they end by themselves: at once the
 * first time, then after pauses that grow as long as it goes on. It does nothing else, so that nothing ends it.
 */
import type { ChildProcess } from 'node:child_process';
import type { BootState, ShownProcess } from '@zpine/contract/processes';
import type { Hint } from '../store/hint.ts';
import { ownProcess } from './own.ts';
import { residentBytes } from './shown.ts';

export const partNames = ['api', 'boot'] as const;
export type PartName = (typeof partNames)[number];

/** What was committed, on its way from the API to who answers booting devices; and that it is known there. */
interface Committed {
  id: number;
  hints: readonly Hint[];
}

/** `boot`: how it is there. */
interface Known {
  id: number;
  boot?: BootState | undefined;
}

/** From a part to whoever tends it. `ready` with what the others need to know of it. */
export interface FromPart {
  ready?: { url?: string };
  committed?: Committed;
  known?: Known;
}

/** To a part. `processes`: how the parts are, whenever that changes. */
export interface ToPart {
  processes?: ShownProcess[];
  committed?: Committed;
  known?: Known;
}

interface Log {
  info: (what: object, text: string) => void;
  error: (what: object, text: string) => void;
}

const FIRST_PAUSE_MS = 500;
const LONGEST_PAUSE_MS = 60_000;
/** A part that has run for so long begins with the first pause again. */
const STEADY_MS = 60_000;
const STOP_MS = 15_000;

interface Tended {
  name: PartName;
  child: ChildProcess | undefined;
  since: Date;
  starts: number;
  lastEnd: ShownProcess['lastEnd'];
  pauseMs: number;
  wait: NodeJS.Timeout | undefined;
  ready: boolean;
}

/** A part could not start; it has said itself why. */
export class NotStarted extends Error {}

export class Tender {
  private readonly parts: Tended[];
  private readonly log: Log;
  private stopping = false;
  /** While all are started for the first time: what ends then ends the start. */
  private failed: ((error: Error) => void) | undefined;

  constructor(names: readonly PartName[], log: Log) {
    this.log = log;
    this.parts = names.map((name) => ({
      name,
      child: undefined,
      since: new Date(),
      starts: 0,
      lastEnd: null,
      pauseMs: FIRST_PAUSE_MS,
      wait: undefined,
      ready: false,
    }));
  }

  /** All of them at once, or one when the one before is ready; gives the address of the API when all are. */
  async start(oneByOne: boolean): Promise<string> {
    const ready = await new Promise<FromPart['ready'][]>((done, failed) => {
      this.failed = failed;
      void this.launchAll(oneByOne).then(done);
    });
    this.failed = undefined;
    this.tell();
    return ready.map((one) => one?.url ?? '').join('');
  }

  private async launchAll(oneByOne: boolean): Promise<FromPart['ready'][]> {
    const one = (part: Tended) => new Promise<FromPart['ready']>((told) => this.launch(part, told));
    if (!oneByOne) return Promise.all(this.parts.map(one));
    const out: FromPart['ready'][] = [];
    for (const part of this.parts) out.push(await one(part));
    return out;
  }

  async stop(): Promise<void> {
    this.stopping = true;
    await Promise.all(
      this.parts.map(async ({ child, wait }) => {
        clearTimeout(wait);
        if (!child || child.exitCode !== null || child.signalCode !== null) return;
        const ended = new Promise((done) => child.once('exit', done));
        child.kill('SIGTERM');
        const limit = setTimeout(() => child.kill('SIGKILL'), STOP_MS);
        await ended;
        clearTimeout(limit);
      }),
    );
  }

  shown(): ShownProcess[] {
    return this.parts.map(({ name, child, since, starts, lastEnd }) => ({
      name,
      pid: child?.pid ?? 0,
      since: since.toISOString(),
      memoryBytes: child?.pid ? residentBytes(child.pid) : 0,
      starts,
      lastEnd,
    }));
  }

  private launch(part: Tended, ready?: (what: FromPart['ready']) => void): void {
    const child = ownProcess(['part', part.name]);
    part.child = child;
    part.since = new Date();
    part.ready = false;
    child.on('message', (message: FromPart) => {
      this.handOn(message);
      if (!message.ready) return;
      part.ready = true;
      ready?.(message.ready);
      this.tell();
    });
    let over = false;
    const ended = (how: string): void => {
      if (over) return;
      over = true;
      part.child = undefined;
      if (this.stopping) return;
      if (this.failed) return this.failed(new NotStarted(part.name));
      this.again(part, how);
    };
    child.once('error', (error) => ended(error.message));
    child.once('exit', (code, signal) => ended(signal ? `ended by ${signal}` : `ended with status ${code ?? 0}`));
  }

  /** From the API to who boots devices and back; where nobody boots any just now, nobody waits for it. */
  private handOn({ committed, known }: FromPart): void {
    if (committed && !this.say('boot', { committed })) this.say('api', { known: { id: committed.id } });
    if (known) this.say('api', { known });
  }

  private say(name: PartName, message: ToPart): boolean {
    const part = this.parts.find((one) => one.name === name);
    if (!part?.ready || !part.child?.connected) return false;
    part.child.send(message, () => undefined);
    return true;
  }

  private again(part: Tended, how: string): void {
    const ranMs = Date.now() - part.since.getTime();
    if (ranMs > STEADY_MS) part.pauseMs = FIRST_PAUSE_MS;
    const { pauseMs } = part;
    part.lastEnd = { at: new Date().toISOString(), how };
    part.pauseMs = Math.min(LONGEST_PAUSE_MS, pauseMs * 2);
    this.log.error(
      { part: part.name, how, againMs: pauseMs },
      'a part of the service ended by itself; it is started again',
    );
    this.tell();
    part.wait = setTimeout(() => {
      part.starts += 1;
      this.launch(part);
    }, pauseMs);
  }

  private tell(): void {
    const processes = this.shown();
    for (const { name } of this.parts) this.say(name, { processes });
  }
}
