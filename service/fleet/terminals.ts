/** A terminal on a device for somebody who types: by its access set and jump host, recorded as it goes. */
import { rungs } from '@zpine/core/fleet/rungs';
import { Refusal } from '@zpine/contract/errors';
import type { ClientChannel } from 'ssh2';
import type { SignedIn } from './signedIn.ts';
import { beginTerminal, keepTerminal, terminalTarget, type Recorded } from '../app/terminals/terminals.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly, transact } from '../store/transact.ts';
import { connect, type ConnectOptions } from './connect.ts';
import { withLimit } from './limit.ts';
import { NotReached } from './notReached.ts';

export interface Size {
  cols: number;
  rows: number;
}

/** What somebody has before them. */
export interface OpenTerminal {
  type: (bytes: Buffer) => void;
  resize: (size: Size) => void;
  /** Ends it from this side. */
  leave: (why: string) => void;
  /** To be called once: what the device shows, and why it ended. */
  follow: (shows: (bytes: Buffer) => void, ended: (why: string) => void) => void;
}

/** So much of what was shown is kept. */
const MOST_KEPT = 1024 * 1024;
/** What was shown is put by so often. */
const KEEP_MS = 3000;
/** And in any case so often. */
const ALIVE_MS = 30_000;
/** Nobody types, and nothing is shown, for so long: it is forgotten. */
const IDLE_MS = 30 * 60_000;

export async function openTerminal(
  store: Store,
  way: ConnectOptions,
  actor: Actor,
  ref: string,
  size: Size,
): Promise<OpenTerminal> {
  const target = await readOnly(store, actor, (tx) => terminalTarget(tx, ref));
  const { client, channel } = await opened(target, way, size).catch((error: unknown) => {
    if (!(error instanceof NotReached)) throw error;
    const known = error.rung !== 'host-key' || target.pinned !== null;
    throw new Refusal('terminal-unreached', {
      device: target.key,
      why: `${rungs[error.rung]}: ${error.message}`,
      remedy: known ? `zpine reach ${target.key}` : `look at the key and accept it: zpine reach ${target.key} --accept`,
    });
  });
  const id = await transact(store, actor, 'terminal.open', (tx) => beginTerminal(tx, target)).catch(
    (error: unknown) => {
      // What is not recorded is not opened.
      client.end();
      throw error;
    },
  );
  const recorded: Recorded = { text: '', bytes: 0, cut: false };
  const keep = (ended?: string) =>
    transact(store, actor, 'terminal.keep', (tx) => keepTerminal(tx, id, target, { ...recorded }, ended)).catch(
      () => undefined,
    );
  return new Shown(client, channel, recorded, keep);
}

async function opened(
  target: Parameters<typeof connect>[0],
  way: ConnectOptions,
  { cols, rows }: Size,
): Promise<{ client: SignedIn; channel: ClientChannel }> {
  const { client } = await connect(target, way);
  const { answerSeconds } = target.access;
  const shell = new Promise<ClientChannel>((resolve, reject) =>
    client.shell({ term: 'xterm-256color', cols, rows }, (error, channel) =>
      error ? reject(error) : resolve(channel),
    ),
  );
  try {
    return { client, channel: await withLimit(shell, answerSeconds * 1000, `nothing came for ${answerSeconds} s`) };
  } catch (error) {
    client.end();
    throw new NotReached('dialect', `it opens no terminal: ${error instanceof Error ? error.message : String(error)}`);
  }
}

class Shown implements OpenTerminal {
  private readonly client: SignedIn;
  private readonly channel: ClientChannel;
  private readonly recorded: Recorded;
  private readonly keep: (ended?: string) => Promise<void>;
  private readonly timer: NodeJS.Timeout;
  private kept = 0;
  private keptAt = Date.now();
  private stirredAt = Date.now();
  private why: string | undefined;

  constructor(client: SignedIn, channel: ClientChannel, recorded: Recorded, keep: (ended?: string) => Promise<void>) {
    this.client = client;
    this.channel = channel;
    this.recorded = recorded;
    this.keep = keep;
    this.timer = setInterval(() => this.look(), KEEP_MS);
  }

  readonly type = (bytes: Buffer): void => {
    this.stirredAt = Date.now();
    this.channel.write(bytes);
  };

  readonly resize = ({ cols, rows }: Size): void => void this.channel.setWindow(rows, cols, 0, 0);

  readonly leave = (why: string): void => {
    this.why ??= why;
    this.channel.end();
    this.client.end();
  };

  readonly follow = (shows: (bytes: Buffer) => void, ended: (why: string) => void): void => {
    const hear = (bytes: Buffer) => {
      this.stirredAt = Date.now();
      this.record(bytes);
      shows(bytes);
    };
    this.channel.on('data', hear);
    this.channel.stderr.on('data', hear);
    let over = false;
    const end = () => {
      if (over) return;
      over = true;
      clearInterval(this.timer);
      const why = this.why ?? 'the device ended it';
      this.client.end();
      void this.keep(why).then(() => ended(why));
    };
    this.channel.once('close', end);
    this.client.once('close', end);
  };

  private record(bytes: Buffer): void {
    const { recorded } = this;
    recorded.bytes += bytes.length;
    if (recorded.text.length < MOST_KEPT) recorded.text += bytes.toString('utf8').replaceAll('\0', '');
    else recorded.cut = true;
  }

  private look(): void {
    if (Date.now() - this.stirredAt > IDLE_MS)
      return this.leave(`nothing was typed or shown for ${IDLE_MS / 60_000} min`);
    // Now and then without news, too: it is a sign of life.
    if (this.kept === this.recorded.bytes && Date.now() - this.keptAt < ALIVE_MS) return;
    [this.kept, this.keptAt] = [this.recorded.bytes, Date.now()];
    void this.keep();
  }
}
