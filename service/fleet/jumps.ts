/** Jump hosts: one connection to each serves all devices behind it. */
import type { Duplex } from 'node:stream';
import type { DialRow } from '@zpine/core/addressing/dial';
import type { SignedIn } from './signedIn.ts';
import type { Target } from '../app/fleet/access.ts';
import { connect } from './connect.ts';
import { withLimit } from './limit.ts';
import { NotReached } from './notReached.ts';

/** A connection that nobody used for so long is given up. */
const IDLE_MS = 30_000;

interface Held {
  client: Promise<SignedIn>;
  users: number;
  timer: NodeJS.Timeout | undefined;
}

export class Jumps {
  private readonly dialMap: readonly DialRow[];
  private readonly held = new Map<string, Held>();

  constructor(dialMap: readonly DialRow[]) {
    this.dialMap = dialMap;
  }

  readonly open = async (jump: Target, address: string, port: number): Promise<Duplex> => {
    const key = `${jump.device} ${jump.login} ${jump.pinned ?? ''}`;
    const held = this.held.get(key) ?? this.begin(key, jump);
    held.users += 1;
    clearTimeout(held.timer);
    const release = () => {
      held.users -= 1;
      if (held.users > 0) return;
      held.timer = setTimeout(() => this.end(key, held), IDLE_MS);
      held.timer.unref();
    };
    try {
      const client = await held.client;
      const { connectSeconds } = jump.access;
      const stream = await withLimit(
        new Promise<Duplex>((resolve, reject) =>
          client.forwardOut
            ? client.forwardOut('127.0.0.1', 0, address, port, (error, channel) =>
                error ? reject(error) : resolve(channel),
              )
            : reject(new Error('it is signed in on without encryption, and leads nowhere')),
        ),
        connectSeconds * 1000,
        `nothing came for ${connectSeconds} s`,
      );
      stream.once('close', release);
      return stream;
    } catch (error) {
      release();
      if (error instanceof NotReached) throw new NotReached('answers', `the jump host ${jump.key}: ${error.message}`);
      throw new NotReached(
        'answers',
        `${jump.key} does not get to ${address}: ${error instanceof Error ? error.message : ''}`,
      );
    }
  };

  stop(): void {
    for (const [key, held] of this.held) this.end(key, held);
  }

  private begin(key: string, jump: Target): Held {
    const client = connect(jump, { dialMap: this.dialMap, firstContact: false, jump: this.nested }).then(
      (c) => c.client,
    );
    const held: Held = { client, users: 0, timer: undefined };
    this.held.set(key, held);
    const forget = () => {
      if (this.held.get(key) === held) this.held.delete(key);
    };
    client.then((one) => one.once('close', forget), forget);
    return held;
  }

  private end(key: string, held: Held): void {
    this.held.delete(key);
    void held.client.then((client) => client.end()).catch(() => undefined);
  }

  private readonly nested = (jump: Target): Promise<Duplex> =>
    Promise.reject(new NotReached('answers', `${jump.key} is a jump host behind a jump host`));
}
