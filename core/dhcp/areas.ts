/**
 * Where the options of a reply go: into the option field, and where that is too small for what the client takes, into
 * `file` and `sname` (RFC 2132, 9.3). What fits nowhere is left out, the least wanted first.
 */

export const OPTION_END = 255;

/** Bytes of the option field, and of the fields that serve as such, their ends included. */
export type Areas = { main: number[]; sname?: number[]; file?: number[] };

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

/** RFC 3396, section 5: what is longer than 255 goes in pieces, one behind the other. */
export function writeOption(out: number[], code: number, bytes: Uint8Array): void {
  for (let at = 0; at === 0 || at < bytes.length; at += 255) {
    const piece = bytes.subarray(at, at + 255);
    out.push(code, piece.length, ...piece);
  }
}

const sizeOf = ({ bytes }: Entry): number => bytes.length + 2 * Math.max(1, Math.ceil(bytes.length / 255));

/** `entries` in the order of how much they are wanted. `left`: the codes of those that fit nowhere. */
export function placed(entries: readonly Entry[], room: Room): { areas: Areas; left: number[] } {
  const whole = entries.reduce((sum, entry) => sum + sizeOf(entry), 1);
  if (whole <= room.main) {
    const main: number[] = [];
    for (const { code, bytes } of entries) writeOption(main, code, bytes);
    main.push(OPTION_END);
    return { areas: { main }, left: [] };
  }
  const main: number[] = [];
  const fields = [
    { name: 'sname' as const, size: SNAME - 1, bytes: [] as number[], free: room.sname },
    { name: 'file' as const, size: FILE - 1, bytes: [] as number[], free: room.file },
  ].filter(({ free }) => free);
  const overload = fields.length > 0 ? OVERLOAD_BYTES : 0;
  let rest = room.main - 1 - overload;
  const left: number[] = [];
  // The room of what must be told is kept for it, wherever it stands.
  let owed = entries.reduce((sum, entry) => (entry.must ? sum + sizeOf(entry) : sum), 0);
  for (const entry of entries) {
    const size = sizeOf(entry);
    if (entry.must) owed -= size;
    if (size + owed <= rest) {
      writeOption(main, entry.code, entry.bytes);
      rest -= size;
      continue;
    }
    // A field has room for pieces of at most its own size, and a client puts pieces together in the order of the fields.
    const field = fields.find((one) => one.bytes.length + size <= one.size && entry.bytes.length <= 255);
    if (field) writeOption(field.bytes, entry.code, entry.bytes);
    else left.push(entry.code);
  }
  const used = fields.filter(({ bytes }) => bytes.length > 0);
  if (used.length > 0) {
    // 1: `file`, 2: `sname`, 3: both.
    const kinds = used.reduce((sum, { name }) => sum + (name === 'file' ? 1 : 2), 0);
    main.push(52, 1, kinds);
  }
  main.push(OPTION_END);
  const areas: Areas = { main };
  for (const { name, bytes } of used) areas[name] = [...bytes, OPTION_END];
  return { areas, left };
}
