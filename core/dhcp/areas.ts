/**
 * Where the options of a reply go: into the option field, and where that is too small for what the client takes, into
 * `file` and `sname` (RFC 2132, 9.3). What fits nowhere is left out, the least wanted first.
 */

const OPTION_END = 255;

/** Bytes of the option field, and of the fields that serve as such, their ends included. */
export type Areas = { main: Uint8Array; sname?: Uint8Array; file?: Uint8Array };

/** An option as it goes out; what must be told is never left out for what need not. */
export type Entry = { code: number; bytes: Uint8Array; must: boolean };

type Room = {
  /** For the option field. */
  main: number;
  /** Whether these are not in use otherwise. */
  sname: boolean;
  file: boolean;
};

const SNAME = 64;
const FILE = 128;
const OVERLOAD_BYTES = 3;

/** Bytes that are written one behind the other. */
class Field {
  readonly bytes: Uint8Array;
  at = 0;

  constructor(size: number) {
    this.bytes = new Uint8Array(size);
  }

  get rest(): number {
    return this.bytes.length - this.at;
  }

  /** RFC 3396, section 5: what is longer than 255 goes in pieces, one behind the other. */
  option(code: number, bytes: Uint8Array): void {
    for (let from = 0; from === 0 || from < bytes.length; from += 255) {
      const size = Math.min(255, bytes.length - from);
      this.bytes[this.at] = code;
      this.bytes[this.at + 1] = size;
      this.bytes.set(size === bytes.length ? bytes : bytes.subarray(from, from + size), this.at + 2);
      this.at += 2 + size;
    }
  }

  ended(): Uint8Array {
    this.bytes[this.at] = OPTION_END;
    return this.bytes.subarray(0, this.at + 1);
  }
}

const sizeOf = ({ bytes }: Entry): number => bytes.length + 2 * Math.max(1, Math.ceil(bytes.length / 255));

/** All options behind one another, with their end. */
export function written(entries: Iterable<readonly [number, Uint8Array]>): Uint8Array {
  const all = [...entries];
  const main = new Field(all.reduce((sum, [code, bytes]) => sum + sizeOf({ code, bytes, must: true }), 1));
  for (const [code, bytes] of all) main.option(code, bytes);
  return main.ended();
}

/** `entries` in the order of how much they are wanted. `left`: the codes of those that fit nowhere. */
export function placed(entries: readonly Entry[], room: Room): { areas: Areas; left: number[] } {
  const whole = entries.reduce((sum, entry) => sum + sizeOf(entry), 1);
  if (whole <= room.main) {
    const main = new Field(whole);
    for (const { code, bytes } of entries) main.option(code, bytes);
    return { areas: { main: main.ended() }, left: [] };
  }
  const fields = [
    { name: 'sname' as const, field: new Field(SNAME), free: room.sname },
    { name: 'file' as const, field: new Field(FILE), free: room.file },
  ].filter(({ free }) => free);
  const main = new Field(room.main);
  // For what says that options go on elsewhere, and the end.
  const kept = 1 + (fields.length > 0 ? OVERLOAD_BYTES : 0);
  const left: number[] = [];
  // The room of what must be told is kept for it, wherever it stands.
  let owed = entries.reduce((sum, entry) => (entry.must ? sum + sizeOf(entry) : sum), 0);
  for (const entry of entries) {
    const size = sizeOf(entry);
    if (entry.must) owed -= size;
    // A field has room for pieces of at most its own size, and a client puts pieces together in the order of the fields.
    const other = fields.find(({ field }) => size < field.rest && entry.bytes.length <= 255)?.field;
    const into = size + owed <= main.rest - kept ? main : other;
    if (into) into.option(entry.code, entry.bytes);
    else left.push(entry.code);
  }
  const used = fields.filter(({ field }) => field.at > 0);
  // 1: `file`, 2: `sname`, 3: both.
  const where = used.reduce((sum, { name }) => sum + (name === 'file' ? 1 : 2), 0);
  if (where > 0) main.option(52, Uint8Array.of(where));
  const areas: Areas = { main: main.ended() };
  for (const { name, field } of used) areas[name] = field.ended();
  return { areas, left };
}
