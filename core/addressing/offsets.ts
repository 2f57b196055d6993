/** Places inside a prefix whatever its network is: `.11`, `::b`, `+300`; and stretches of such: `.200-.239`. */
import { fail, ok, type Parsed } from '../fault.ts';
import { formatIp, parseIp, type Family } from './ip.ts';
import { sizeOf, type Prefix } from './prefix.ts';
import type { Range } from './ranges.ts';

export type OffsetFault = 'offset-syntax' | 'offset-outside';

/** Reads an offset from the first address of a prefix. */
export function parseOffset(text: string): Parsed<bigint, OffsetFault> {
  const value = text.trim();
  const dotted = /^\.(0|[1-9][0-9]{0,2})$/.exec(value);
  if (dotted && Number(dotted[1]) < 256) return ok(BigInt(dotted[1] ?? 0));
  const counted = /^\+(0|[1-9][0-9]{0,18})$/.exec(value);
  if (counted) return ok(BigInt(counted[1] ?? 0));
  const host = value.startsWith('::') ? parseIp(value) : undefined;
  return host?.ok ? ok(host.value.value) : fail('offset-syntax', { value });
}

export function formatOffset(offset: bigint, family: Family): string {
  if (family === 6) return formatIp({ family, value: offset });
  return offset < 256n ? `.${offset}` : `+${offset}`;
}

/** The address at an offset, which must be inside. */
export function addressAt(p: Prefix, offset: bigint): Parsed<bigint, OffsetFault> {
  return offset < sizeOf(p)
    ? ok(p.first + offset)
    : fail('offset-outside', { value: formatOffset(offset, p.family), size: String(sizeOf(p)) });
}

/** Reads `.200-.239, .250` for a prefix of any network; gives the ranges there. */
export function rangesAt(p: Prefix, text: string): Parsed<Range[], OffsetFault> {
  const out: Range[] = [];
  for (const part of text.split(/[,;]/).filter((one) => one.trim() !== '')) {
    const ends = part.split('-').map(parseOffset);
    if (ends.length > 2) return fail('offset-syntax', { value: part.trim() });
    const values: bigint[] = [];
    for (const end of ends) {
      if (!end.ok) return end;
      const at = addressAt(p, end.value);
      if (!at.ok) return at;
      values.push(at.value);
    }
    const [first = p.first, last = first] = values;
    if (last < first) return fail('offset-syntax', { value: part.trim() });
    out.push({ first: { family: p.family, value: first }, last: { family: p.family, value: last } });
  }
  return ok(out);
}
