import { expect } from 'chai';
import fc from 'fast-check';
import { dialectFrom } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { Gathered } from './gathered.ts';
import { NEW_PROMPT_MS, Terminal, type Answer, type TerminalStep } from './terminal.ts';

const dialect = dialectFrom(
  'plain',
  dialectSheet.parse({
    title: 'Plain',
    channel: 'prompt',
    prompt: '^[a-z]+(/top)?: $',
    refusals: ['^not taken: (?<why>.*)$'],
    raise: { command: 'climb', ask: '^phrase: $', raised: '/top: $' },
    paging: { more: '^-- turn --$', next: ' ' },
    running: 'tell now',
    reads: ['^tell'],
    blocks: 'indent',
  }),
);
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

/** A terminal in front of a device that says what it is told to, with a clock that stands still but for its wake-ups. */
class Bench {
  now = 1000;
  readonly terminal: Terminal;
  readonly sent: string[] = [];
  ended: Answer | undefined;
  failed: string | undefined;
  hungUp = false;
  private wakeAt: number | undefined;

  constructor(mostBytes = 10_000) {
    this.terminal = new Terminal(dialect, { answerMs: 5000, mostBytes });
  }

  take({ send, wakeAt, ended, failed, hangUp }: TerminalStep): this {
    if (send !== undefined) this.sent.push(send);
    this.wakeAt = wakeAt;
    if (ended) this.ended = ended;
    if (failed !== undefined) this.failed = failed;
    this.hungUp ||= hangUp === true;
    return this;
  }

  says(...pieces: (string | Uint8Array)[]): this {
    for (const piece of pieces)
      this.take(this.terminal.hear(typeof piece === 'string' ? bytes(piece) : piece, this.now));
    return this;
  }

  /** Lets time pass until it wants nothing more, or has ended. */
  waits(): this {
    while (this.wakeAt !== undefined && this.ended === undefined && this.failed === undefined) {
      this.now = Math.max(this.now, this.wakeAt);
      this.take(this.terminal.tick(this.now));
    }
    return this;
  }

  run(command: string): this {
    this.ended = undefined;
    this.failed = undefined;
    return this.take(this.terminal.run(command, this.now));
  }

  atPrompt(): this {
    this.take(this.terminal.begin(this.now)).says('welcome\r\nquay: ').waits();
    this.ended = undefined;
    return this;
  }
}

describe('the prompt of a device', () => {
  it('is waited for, without its echo and itself in the answer', () => {
    const bench = new Bench().atPrompt().run('tell now').says('tell now\r\nname quay\r\n  lane 3\r\nquay: ');
    expect(bench.sent).to.deep.equal(['tell now\n']);
    expect(bench.ended).to.deep.equal({ text: 'name quay\n  lane 3\n', refused: undefined, cut: false });
  });

  it('that was not seen before must stand for a while: it may be the middle of a line', () => {
    const bench = new Bench();
    bench.take(bench.terminal.begin(1000)).says('quay: ');
    expect(bench.ended).to.equal(undefined);
    bench.now += NEW_PROMPT_MS - 1;
    bench.take(bench.terminal.tick(bench.now)).says('is a name\r\n');
    expect(bench.ended).to.equal(undefined);
    bench.says('quay: ').waits();
    expect(bench.ended?.text).to.equal('quay: is a name\n');
  });

  it('tells what was refused, in the words of the device', () => {
    const bench = new Bench().atPrompt().run('lane 5000').says('lane 5000\r\nnot taken: no such lane\r\nquay: ');
    expect(bench.ended?.refused).to.equal('no such lane');
  });

  it('is reached through pages, which are turned and left out', () => {
    const bench = new Bench().atPrompt().run('tell now').says('tell now\r\none\r\ntwo\r\n-- turn --');
    expect(bench.sent).to.deep.equal(['tell now\n', ' ']);
    bench.says('\r\n\r\nthree\r\n-- turn --', '\r\nfour\r\nquay: ');
    expect(bench.ended?.text).to.equal('one\ntwo\nthree\nfour\n');
  });

  it('that does not come is missed in words, with the last line', () => {
    const bench = new Bench().atPrompt().run('tell now').says('tell now\r\nproceed?').waits();
    expect(bench.failed).to.equal('no prompt of Plain came after "tell now" for 5 s; the last line is "proceed?"');
    expect(bench.now).to.be.at.least(6000);
  });

  it('is not waited for once the device is gone, but for what it said before', () => {
    const gone = new Bench().atPrompt().run('tell now').says('tell now\r\none\r\n');
    gone.take(gone.terminal.lost('the device closed the session', gone.now));
    expect(gone.failed).to.equal('the device closed the session');
    expect(gone.run('tell now').failed).to.equal('the device closed the session');
    // A prompt that nobody saw before stands still when the end comes.
    const last = new Bench().atPrompt().run('tell now').says('tell now\r\nwharf: ');
    last.take(last.terminal.lost('the device closed the session', last.now)).waits();
    expect(last.ended?.text).to.equal('');
  });

  it('is raised by a second password, or says why not', () => {
    const bench = new Bench().atPrompt();
    bench.take(bench.terminal.raise('rope-walk', bench.now)).says('climb\r\nphrase: ');
    expect(bench.sent).to.deep.equal(['climb\n', 'rope-walk\n']);
    bench.says('\r\nquay/top: ').waits();
    expect(bench.terminal.raised).to.equal(true);

    const refused = new Bench().atPrompt();
    refused.take(refused.terminal.raise('x', refused.now)).says('climb\r\nphrase: ', '\r\nquay: ').waits();
    expect(refused.failed).to.equal('the second password gave no more rights (the prompt is "quay:")');
    expect(refused.terminal.raised).to.equal(false);
  });

  it('keeps the beginning of an answer that is too long, and hangs up on one that does not end', () => {
    const long = new Bench(10).atPrompt().run('tell now').says('tell now\r\n123456789\r\nquay: ');
    expect(long.ended).to.deep.include({ cut: true });
    const endless = new Bench(10).atPrompt().run('tell now');
    for (let i = 0; i < 6; i += 1) endless.says(new Uint8Array(1024 * 1024).fill(97));
    expect(endless.hungUp).to.equal(true);
    expect(endless.ended?.cut).to.equal(true);
    expect(endless.run('tell now').failed).to.equal('the device did not stop talking');
  });

  it('gives the same answer however its bytes are cut, and never throws', () => {
    const line = fc.string({ unit: fc.constantFrom('a', 'ø', '€', ' ', ':', '-', '\u001b[1m'), maxLength: 12 });
    fc.assert(
      fc.property(fc.array(line, { maxLength: 8 }), fc.array(fc.nat(200), { maxLength: 12 }), (lines, cuts) => {
        const whole = bytes(`tell now\r\n${lines.map((text) => `${text}\r\n`).join('')}quay: `);
        const places = [0, ...cuts.map((cut) => cut % whole.length).sort((a, b) => a - b), whole.length];
        const pieces = places.slice(1).map((to, i) => whole.subarray(places[i], to));
        const cut = new Bench()
          .atPrompt()
          .run('tell now')
          .says(...pieces)
          .waits();
        const once = new Bench().atPrompt().run('tell now').says(whole).waits();
        // A known prompt at the end of a piece ends the answer there; no piece of these ends so but the last.
        const early = pieces.slice(0, -1).some((_, i) => endsInPrompt(whole.subarray(0, places[i + 1])));
        if (!early) expect(cut.ended).to.deep.equal(once.ended);
      }),
    );
  });
});

const endsInPrompt = (said: Uint8Array): boolean => /(^|[\r\n])quay: $/.test(new TextDecoder().decode(said));

describe('text in pieces', () => {
  it('keeps whole characters, wherever it is cut', () => {
    const all = bytes('bødø € quay');
    for (let at = 0; at <= all.length; at += 1) {
      const gathered = new Gathered(1000);
      gathered.add(all.subarray(0, at));
      gathered.add(all.subarray(at));
      expect(gathered.text()).to.equal('bødø € quay');
      const short = new Gathered(at);
      expect(short.add(all).enough).to.equal(at < all.length);
      expect('bødø € quay').to.satisfy((text: string) => text.startsWith(short.text()));
    }
  });
});
