import { utf8Pieces } from '../text/utf8.ts';

/** Text that comes in pieces of bytes, up to a limit. Characters may be cut anywhere between the pieces. */
export class Gathered {
  cut = false;
  private readonly most: number;
  private readonly pieces: string[] = [];
  /** What comes, and what of it is kept, which ends in the midst of a piece. */
  private readonly heard = utf8Pieces();
  private readonly kept = utf8Pieces();
  private size = 0;

  constructor(most: number) {
    this.most = most;
  }

  /** `text`: what these bytes say, kept or not; `enough`: they are more than is kept. */
  add(bytes: Uint8Array): { text: string; enough: boolean } {
    const text = this.heard(bytes);
    if (this.cut) return { text, enough: true };
    const left = this.most - this.size;
    this.size += bytes.length;
    this.cut = bytes.length > left;
    // A character at the cut is left out.
    this.pieces.push(this.kept(this.cut ? bytes.subarray(0, left) : bytes));
    return { text, enough: this.cut };
  }

  /** With the line ends of a text file. */
  text(): string {
    const whole = this.pieces.join('');
    return whole.includes('\r') ? whole.replace(/\r+\n/g, '\n').replaceAll('\r', '\n') : whole;
  }
}
