/**
 * Processes in which work is done that somebody can make large. A process has one piece of work at a time; it is ended
 * when that takes too long or too much memory, or when nobody waits for it any more, and another takes its place.
 */
import type { ChildProcess } from 'node:child_process';
import { Refusal, type Faults } from '@zpine/contract/errors';
import type { ShownProcess } from '@zpine/contract/processes';
import type { Answered, Apart, Asked } from '../http/asked.ts';
import { ownProcess } from '../processes/own.ts';
import { residentBytes } from '../processes/shown.ts';
import type { ClaimedJob } from '../store/jobs.ts';
import type { FromChild, ToChild } from './messages.ts';

interface Log {
  warn: (what: object, text: string) => void;
}

export interface PoolOptions {
  /** Processes that answer requests. */
  most: number;
  /** Of the objects of a request's process, and of an import's; MiB. */
  heapMb: number;
  importHeapMb: number;
  /** Of all that a process holds, buffers too; bytes. */
  residentBytes: number;
  /** For so long a request may take. */
  seconds: (asked: Asked) => number;
  /** Starts a process with so much room for objects. */
  start?: (heapMb: number) => ChildProcess;
}

const startHere = (heapMb: number): ChildProcess =>
  ownProcess(['apart'], { nodeOptions: [`--max-old-space-size=${heapMb}`], stderr: 'pipe' });

const MB = 1024 * 1024;
const LOOK_MS = 250;
/** A process that has grown beyond that begins anew when it has nothing to do. */
const GROWN_BYTES = 220 * MB;
/** One is kept for the next request; others go when they had nothing to do for so long. */
const IDLE_MS = 30_000;
/** For so long a request waits for a process, when all are busy. */
const WAIT_MS = 30_000;
const STDERR_KEPT = 4000;

/** Why a process was ended, or how it ended. */
type End = { why: 'left' | 'slow' | 'large' | 'stopped' } | { died: string };

export class ApartPool implements Apart {
  private readonly options: PoolOptions;
  private readonly log: Log;
  private readonly start: (heapMb: number) => ChildProcess;
  private readonly idle: Hand[] = [];
  private readonly busy = new Map<Hand, number>();
  private readonly waiting: { user: number; give: (free: true) => void }[] = [];
  private readonly imports = new Set<Hand>();
  private stopped = false;
  private ends = 0;
  private lastEnd: ShownProcess['lastEnd'] = null;

  constructor(options: PoolOptions, log: Log) {
    this.options = options;
    this.start = options.start ?? startHere;
    this.log = log;
  }

  async carryOut(asked: Asked, signal: AbortSignal): Promise<Answered> {
    const hand = await this.handFor(asked.user.id, signal);
    const seconds = this.options.seconds(asked);
    const work = hand.work({ asked }, { signal, seconds, residentBytes: this.options.residentBytes });
    const release = (): void => this.release(hand);
    try {
      const first = await work.next();
      if (!('begun' in first)) {
        release();
        if ('answered' in first) return first.answered;
        throw new Error('a process apart ended its answer before it began');
      }
      return { ...first.begun, body: pieces(work, release) };
    } catch (error) {
      release();
      throw this.refusalOf(error);
    }
  }

  /** An import has a process of its own, since it may take an hour; it ends with it. */
  async importUpload(job: ClaimedJob, ...endings: AbortSignal[]): Promise<void> {
    const hand = new Hand(this.start(this.options.importHeapMb));
    this.imports.add(hand);
    const { lease, payload } = job;
    try {
      const signal = AbortSignal.any(endings);
      const bounds = {
        signal,
        seconds: Number.POSITIVE_INFINITY,
        residentBytes: 2 * this.options.importHeapMb * MB,
      };
      await hand.work({ job: { lease, payload } }, bounds).next();
    } catch (error) {
      throw this.refusalOf(error);
    } finally {
      this.imports.delete(hand);
      void hand.end('stopped');
    }
  }

  async stop(): Promise<void> {
    this.stopped = true;
    const hands = [...this.idle, ...this.busy.keys(), ...this.imports];
    await Promise.all(hands.map((hand) => hand.end('stopped')));
  }

  shown(): ShownProcess[] {
    return [...this.busy.keys(), ...this.idle, ...this.imports].map((hand) => ({
      name: 'apart',
      pid: hand.pid,
      since: hand.since.toISOString(),
      memoryBytes: residentBytes(hand.pid),
      starts: this.ends,
      lastEnd: this.lastEnd,
    }));
  }

  /** One user leaves a process to the others, however much they ask for. */
  private mayHave(user: number): boolean {
    if (this.busy.size >= this.options.most) return false;
    const theirs = [...this.busy.values()].filter((one) => one === user).length;
    return theirs < Math.max(1, this.options.most - 1);
  }

  private async handFor(user: number, signal: AbortSignal): Promise<Hand> {
    if (!this.mayHave(user)) {
      await new Promise<void>((done, failed) => {
        const entry = { user, give: () => (leave(), done()) };
        const refuse = (): void => (leave(), failed(new Refusal(signal.aborted ? 'client-left' : 'busy')));
        const limit = setTimeout(refuse, WAIT_MS);
        signal.addEventListener('abort', refuse);
        const leave = (): void => {
          clearTimeout(limit);
          signal.removeEventListener('abort', refuse);
          const at = this.waiting.indexOf(entry);
          if (at >= 0) this.waiting.splice(at, 1);
        };
        this.waiting.push(entry);
      });
    }
    const hand = this.idle.pop() ?? new Hand(this.start(this.options.heapMb));
    hand.rest(undefined);
    this.busy.set(hand, user);
    return hand;
  }

  private release(hand: Hand): void {
    if (!this.busy.delete(hand)) return;
    if (this.stopped || !hand.usable || residentBytes(hand.pid) > GROWN_BYTES) void hand.end('stopped');
    else {
      this.idle.push(hand);
      hand.rest(() => this.tired(hand));
    }
    const next = this.waiting.find(({ user }) => this.mayHave(user));
    next?.give(true);
  }

  private tired(hand: Hand): void {
    if (!hand.ended && this.idle.length <= 1) return hand.rest(() => this.tired(hand));
    this.idle.splice(this.idle.indexOf(hand), 1);
    void hand.end('stopped');
  }

  private refusalOf(error: unknown): unknown {
    if (!(error instanceof Ended)) return error;
    const { end, stderr } = error;
    if ('why' in end && (end.why === 'left' || end.why === 'stopped')) return new Refusal('client-left');
    const how = 'why' in end ? (end.why === 'slow' ? 'took too long' : 'took too much memory') : end.died;
    this.ends += 1;
    this.lastEnd = { at: new Date().toISOString(), how };
    this.log.warn({ how, stderr }, 'a process apart was ended with the work that it did');
    if ('why' in end) return new Refusal(end.why === 'slow' ? 'too-slow' : 'too-large');
    // V8 says so when a heap is full, and aborts; any other end is a fault of ours, and not said to be anybody's request.
    return /heap out of memory|heap limit/i.test(stderr)
      ? new Refusal('too-large')
      : new Error(`a process apart ${end.died}`);
  }
}

async function* pieces(work: Work, release: () => void): AsyncGenerator<string> {
  try {
    for (;;) {
      const message = await work.next();
      if ('done' in message) return;
      if (!('piece' in message)) throw new Error('a process apart said something else than a piece');
      yield message.piece;
      work.go();
    }
  } finally {
    // Whoever reads no further leaves it at work: it cannot be used for another.
    work.leave();
    release();
  }
}

class Ended extends Error {
  readonly end: End;
  readonly stderr: string;
  constructor(end: End, stderr: string) {
    super('why' in end ? end.why : end.died);
    this.end = end;
    this.stderr = stderr;
  }
}

interface Bounds {
  signal: AbortSignal;
  seconds: number;
  residentBytes: number;
}

interface Work {
  /** The next thing it says; throws what it refuses with, or that it ended. */
  next: () => Promise<FromChild>;
  /** Asks for the next piece. */
  go: () => void;
  /** Nobody listens any more. */
  leave: () => void;
}

/** One process. */
class Hand {
  readonly since = new Date();
  ended = false;
  private readonly child: ChildProcess;
  private readonly exit: Promise<void>;
  private readonly said: FromChild[] = [];
  private hear: (() => void) | undefined;
  private end_: End | undefined;
  private stderr = '';
  private restTimer: NodeJS.Timeout | undefined;

  constructor(child: ChildProcess) {
    this.child = child;
    this.child.stderr?.setEncoding('utf8').on('data', (text: string) => {
      this.stderr = (this.stderr + text).slice(0, STDERR_KEPT);
    });
    this.child.on('message', (message: FromChild) => {
      if ('ready' in message) return;
      this.said.push(message);
      this.hear?.();
    });
    this.exit = new Promise((done) => {
      const over = (died: string): void => {
        this.ended = true;
        this.end_ ??= { died };
        this.hear?.();
        done();
      };
      this.child.once('error', (error) => over(error.message));
      this.child.once('exit', (code, signal) => over(signal ? `ended by ${signal}` : `ended with status ${code ?? 0}`));
    });
  }

  /** False from when its end is wanted, not only from when it came. */
  get usable(): boolean {
    return !this.ended && this.end_ === undefined;
  }

  get pid(): number {
    return this.child.pid ?? 0;
  }

  /** Does `then` when it has had nothing to do for a while. */
  rest(then: (() => void) | undefined): void {
    clearTimeout(this.restTimer);
    this.restTimer = then && setTimeout(then, IDLE_MS).unref();
  }

  end(why: 'left' | 'slow' | 'large' | 'stopped'): Promise<void> {
    if (!this.ended) {
      this.end_ ??= { why };
      // It may be busy, and hear nothing else.
      this.child.kill('SIGKILL');
    }
    this.rest(undefined);
    return this.exit;
  }

  work(message: ToChild, { signal, seconds, residentBytes: most }: Bounds): Work {
    const left = (): void => void this.end('left');
    signal.addEventListener('abort', left);
    if (signal.aborted) left();
    const until = Date.now() + seconds * 1000;
    const look = setInterval(() => {
      if (Date.now() > until) void this.end('slow');
      else if (residentBytes(this.pid) > most) void this.end('large');
    }, LOOK_MS);
    const over = (): void => {
      clearInterval(look);
      signal.removeEventListener('abort', left);
    };
    let finished = false;
    const next = async (): Promise<FromChild> => {
      while (this.said.length === 0 && !this.ended) await new Promise<void>((done) => (this.hear = done));
      const said = this.said.shift();
      if (!said) {
        over();
        throw new Ended(this.end_ ?? { died: 'ended' }, this.stderr);
      }
      if ('piece' in said || 'begun' in said) return said;
      finished = true;
      over();
      if ('refused' in said) throw refusalFrom(said.refused);
      if ('broken' in said) throw brokenFrom(said.broken.error);
      return said;
    };
    this.child.send(message, () => undefined);
    return {
      next,
      go: () => void this.child.send({ next: true } satisfies ToChild, () => undefined),
      leave: () => {
        if (!finished) void this.end('left');
        over();
      },
    };
  }
}

function refusalFrom({
  code,
  params,
  faults,
  beyond,
  extra,
}: Extract<FromChild, { refused: unknown }>['refused']): Refusal {
  const all: Faults = faults;
  if (beyond > 0) all.beyond = beyond;
  return new Refusal(code, params, all, extra);
}

/** With the stack of where it happened. */
function brokenFrom({
  message,
  stack,
  sql,
}: {
  message: string;
  stack: string | undefined;
  sql: string | undefined;
}): Error {
  const error = new Error(message);
  if (stack !== undefined) error.stack = stack;
  return sql === undefined ? error : Object.assign(error, { sqlMessage: sql });
}
