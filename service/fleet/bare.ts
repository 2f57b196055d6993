/**
 * Signing in without encryption (RFC 854), where a layer permits it and says why: whoever listens on the way reads all
 * of it, and nobody proves who answers.
 */
import { EventEmitter } from 'node:events';
import { Duplex, PassThrough } from 'node:stream';
import { compilePattern } from '@zpine/core/text/pattern';
import { BareLine } from '@zpine/core/fleet/bareLine';
import { lastLineOf } from '@zpine/core/fleet/terminal';
import type { ClientChannel } from 'ssh2';
import type { Target } from '../app/fleet/access.ts';
import { NotReached } from './notReached.ts';
import type { SignedIn } from './signedIn.ts';

type Bare = NonNullable<Target['access']['bare']>;

/** No question to somebody who signs in is longer. */
const MOST_HELD = 8192;

/** Answers what is asked for: who, and the password. Throws where that is not let in, or nothing is asked. */
export async function signInBare(target: Target, stream: Duplex, bare: Bare): Promise<SignedIn> {
  const { dialect, access } = target;
  const asks = dialect?.sheet.bare;
  if (!asks) {
    stream.destroy();
    throw new NotReached('exchange', 'the sheet of its dialect does not say how it asks for a user without encryption');
  }
  if (bare.user === '' || bare.password === '') {
    stream.destroy();
    throw new NotReached(
      'sign-in',
      'without encryption only access.bare-user and access.bare-password are used, and one is missing',
    );
  }
  const [user, password, refused] = [asks.user, asks.password, asks.refused].map(compilePattern);
  const line = new BareLine();
  return new Promise<SignedIn>((done, failed) => {
    let heard = '';
    let stage: 'user' | 'password' | 'in' = 'user';
    const end = () => {
      clearTimeout(limit);
      stream.removeListener('data', hear);
      stream.removeListener('close', gone);
    };
    const fail = (why: string, wasRefused = false) => {
      end();
      stream.destroy();
      failed(new NotReached('sign-in', why, undefined, wasRefused));
    };
    const limit = setTimeout(() => fail(`nothing came for ${access.connectSeconds} s`), access.connectSeconds * 1000);
    const gone = () => fail('the connection was closed');
    const say = (text: string) => {
      heard = '';
      stream.write(line.typed(Buffer.from(`${text}\n`)));
    };
    const hear = (bytes: Buffer) => {
      const { shown, reply } = line.hear(bytes);
      if (reply.length > 0) stream.write(reply);
      heard = (heard + Buffer.from(shown).toString('utf8')).slice(-MOST_HELD);
      const last = lastLineOf(heard);
      const turnedAway = heard.split(/\r?\n/).some((said) => refused?.test(said.trim()));
      if (stage === 'in' && (turnedAway || user?.test(last)))
        fail(`${bare.user} was not let in, without encryption`, true);
      else if (stage === 'user' && user?.test(last)) {
        stage = 'password';
        say(bare.user);
      } else if (stage === 'password' && password?.test(last)) {
        stage = 'in';
        say(bare.password);
      } else if (stage === 'in' && last !== '' && dialect.isPrompt(last)) {
        end();
        // Whoever goes on sees the prompt, too.
        done(new BareClient(new BareChannel(stream, line, Buffer.from(last))));
      }
    };
    stream.on('data', hear);
    stream.once('close', gone);
    stream.on('error', () => undefined);
  });
}

/** What is shown and typed on such a line, without what the two ends negotiate. */
class BareChannel extends Duplex {
  readonly stderr = new PassThrough();
  private readonly stream: Duplex;
  private readonly line: BareLine;

  constructor(stream: Duplex, line: BareLine, first: Buffer) {
    super({ allowHalfOpen: false });
    this.stream = stream;
    this.line = line;
    this.push(first);
    stream.on('data', (bytes: Buffer) => {
      const { shown, reply } = this.line.hear(bytes);
      if (reply.length > 0) stream.write(reply);
      if (shown.length > 0) this.push(Buffer.from(shown));
    });
    stream.once('close', () => this.destroy());
  }

  override _read(): void {
    // The other end says when there is more.
  }

  override _write(bytes: Buffer, _encoding: string, done: () => void): void {
    this.stream.write(this.line.typed(bytes), () => done());
  }

  override _final(done: () => void): void {
    this.stream.end(() => done());
  }

  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.stream.destroy();
    this.stderr.destroy();
    done(error);
  }

  /** The size of a window is not told on such a line. */
  setWindow(): void {
    // Nothing to be done.
  }
}

class BareClient extends EventEmitter implements SignedIn {
  private readonly channel: BareChannel;

  constructor(channel: BareChannel) {
    super();
    this.channel = channel;
    channel.once('close', () => this.emit('close'));
  }

  /** The line is a terminal already, and the only one. */
  readonly shell: SignedIn['shell'] = (_window, opened) =>
    // It has what sessions use of a channel.
    opened(undefined, this.channel as unknown as ClientChannel);

  readonly exec: SignedIn['exec'] = (_command, opened) =>
    opened(new Error('single commands need SSH'), this.channel as unknown as ClientChannel);

  readonly end = (): void => void this.channel.end();
}
