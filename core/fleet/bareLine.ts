/**
 * A line without encryption (RFC 854): what the other end negotiates is answered, and what is left is what it shows.
 * It agrees that the other end echoes and does not wait for turns; to everything else it says no.
 *
 *   IAC 255  WILL 251  WONT 252  DO 253  DONT 254  SB 250 ... IAC SE 240
 *   options: echo 1 (RFC 857), suppress go-ahead 3 (RFC 858)
 */

const IAC = 255;
const [SE, SB, WILL, WONT, DO, DONT] = [240, 250, 251, 252, 253, 254];
const AGREED: readonly number[] = [1, 3];
/** Of what is negotiated about one option no more is held. */
const MOST_HELD = 4096;

export interface Heard {
  /** What is shown. */
  shown: Uint8Array;
  /** What is to be sent back. */
  reply: Uint8Array;
}

export class BareLine {
  /** What came of a command whose end is still to come. */
  private held: number[] = [];
  private readonly answered = new Set<string>();

  hear(bytes: Uint8Array): Heard {
    const all = [...this.held, ...bytes];
    this.held = [];
    const shown: number[] = [];
    const reply: number[] = [];
    for (let at = 0; at < all.length;) {
      const byte = all[at] as number;
      if (byte !== IAC) {
        // A line ends with CR LF; CR NUL is a CR by itself (RFC 854, the NVT printer).
        if (byte !== 0) shown.push(byte);
        at += 1;
        continue;
      }
      const end = this.command(all, at, shown, reply);
      if (end === undefined) {
        this.held = all.slice(at, at + MOST_HELD);
        break;
      }
      at = end;
    }
    return { shown: Uint8Array.from(shown), reply: Uint8Array.from(reply) };
  }

  /** What is typed, as it goes on the line. */
  typed(bytes: Uint8Array): Uint8Array {
    const out: number[] = [];
    for (const byte of bytes) {
      if (byte === 0x0a) out.push(0x0d, 0x0a);
      else if (byte === IAC) out.push(IAC, IAC);
      else out.push(byte);
    }
    return Uint8Array.from(out);
  }

  /** Where the command at `at` ends; undefined where it has not come whole. */
  private command(all: readonly number[], at: number, shown: number[], reply: number[]): number | undefined {
    const [verb, option] = [all[at + 1], all[at + 2]];
    if (verb === undefined) return undefined;
    if (verb === IAC) {
      shown.push(IAC);
      return at + 2;
    }
    if (verb === SB) {
      for (let end = at + 2; end + 1 < all.length; end += 1)
        if (all[end] === IAC && all[end + 1] === SE) return end + 2;
      return undefined;
    }
    if (verb < WILL) return at + 2;
    if (option === undefined) return undefined;
    this.answer(verb, option, reply);
    return at + 3;
  }

  /** Each is answered once: two ends that answer answers would never be done (RFC 1143). */
  private answer(verb: number, option: number, reply: number[]): void {
    const once = `${verb} ${option}`;
    if (this.answered.has(once)) return;
    this.answered.add(once);
    if (verb === WILL) reply.push(IAC, AGREED.includes(option) ? DO : DONT, option);
    else if (verb === DO) reply.push(IAC, option === 3 ? WILL : WONT, option);
    else if (verb === WONT && AGREED.includes(option)) reply.push(IAC, DONT, option);
    else if (verb === DONT && option === 3) reply.push(IAC, WONT, option);
  }
}
