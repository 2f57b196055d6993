/**
 * What is derived from the records, worked out once more by other means than those that keep it. Nothing here may share
 * code with the writers of these rows: a fault of theirs would be repeated and not be seen.
 */
import type { Tx } from '../../store/tx.ts';

export type Statement = readonly [sql: string, values: readonly unknown[]];

/** A derived row that is not what the records say. */
export interface Difference {
  /** What it is about, in words: `prefix 10.77.16.0/24, free for fixed assignment`. */
  about: string;
  is: string;
  should: string;
  mend: Statement[];
}

/** A batch that is looked at in one go. `locked`: derived rows are locked first, and then the records read. */
export type Part = (tx: Tx, locked: boolean) => Promise<Difference[]>;

export interface Look {
  /** Batches, each small enough that mending it holds its locks for less than a second. */
  parts: (tx: Tx) => AsyncIterable<Part>;
}

/** Id ranges of a table, so many records in each: `(after, to]`; the last is open, so that leftovers fall into one. */
export async function* ranges(tx: Tx, table: string, size: number): AsyncGenerator<{ after: number; to: number }> {
  for (let after = 0; ;) {
    const row = await tx.one<{ id: number | null; n: number }>(
      `SELECT MAX(id) AS id, COUNT(*) AS n FROM (SELECT id FROM \`${table}\` WHERE id > ? ORDER BY id LIMIT ?) AS some`,
      [after, size],
    );
    const full = Number(row?.n ?? 0) === size;
    const to = full ? Number(row?.id) : Number.MAX_SAFE_INTEGER;
    yield { after, to };
    if (!full) return;
    after = to;
  }
}

export const forUpdate = (locked: boolean): string => (locked ? 'FOR UPDATE' : '');
export const shared = (locked: boolean): string => (locked ? 'LOCK IN SHARE MODE' : '');

/** A 16-byte address as a number, and in words; IPv4 lies in ::ffff:0:0/96. */
const MAPPED = 0xffffn << 32n;
export const numberOf = (bytes: Buffer, family: number): bigint => {
  const value = BigInt(`0x${bytes.toString('hex')}`);
  return family === 4 ? value & 0xffffffffn : value;
};
export const bytesOfNumber = (value: bigint, family: number): Buffer =>
  Buffer.from((family === 4 ? MAPPED | value : value).toString(16).padStart(32, '0'), 'hex');

/** RFC 5952. */
export function addressText(value: bigint, family: number): string {
  if (family === 4) return [24n, 16n, 8n, 0n].map((shift) => String((value >> shift) & 255n)).join('.');
  const groups = Array.from({ length: 8 }, (_, i) => ((value >> BigInt(112 - 16 * i)) & 0xffffn).toString(16));
  let [start, length] = [-1, 1];
  for (let i = 0; i < 8; i += 1) {
    let j = i;
    while (j < 8 && groups[j] === '0') j += 1;
    if (j - i > length) [start, length] = [i, j - i];
    if (j > i) i = j;
  }
  if (start < 0) return groups.join(':');
  return `${groups.slice(0, start).join(':')}::${groups.slice(start + length).join(':')}`;
}
