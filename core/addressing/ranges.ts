import { fail, mustParse, ok, type Parsed } from '../fault.ts';
import { formatIp, parseIp, type Family, type Ip, type IpFault } from './ip.ts';
import { contains, type Prefix } from './prefix.ts';
import type { Span } from './spans.ts';

export type RangeFault = IpFault | 'range-syntax' | 'range-order' | 'range-outside';

export interface Range {
  first: Ip;
  last: Ip;
}

/** Reads `10.77.16.200-10.77.16.239`, or one address for a range of one. */
export function parseRange(text: string): Parsed<Range, RangeFault> {
  const value = text.trim();
  const ends = value.split(/\s*-\s*/);
  if (ends.length > 2 || ends.some((end) => end === '')) return fail('range-syntax', { value });
  const first = parseIp(ends[0] ?? '');
  if (!first.ok) return first;
  const last = ends[1] === undefined ? first : parseIp(ends[1]);
  if (!last.ok) return last;
  if (first.value.family !== last.value.family) return fail('range-syntax', { value });
  if (first.value.value > last.value.value) {
    return fail('range-order', { value, meant: formatRange({ first: last.value, last: first.value }) });
  }
  return ok({ first: first.value, last: last.value });
}

export const formatRange = (range: Range): string =>
  range.first.value === range.last.value ? formatIp(range.first) : `${formatIp(range.first)}-${formatIp(range.last)}`;

/** Reads a list `a-b, c, d-e`; gives the ranges in the order of their addresses. */
export function parseRanges(text: string): Parsed<Range[], RangeFault> {
  const out: Range[] = [];
  for (const part of text.split(/[,;]/).filter((p) => p.trim() !== '')) {
    const range = parseRange(part);
    if (!range.ok) return range;
    out.push(range.value);
  }
  out.sort((a, b) => (a.first.value < b.first.value ? -1 : a.first.value > b.first.value ? 1 : 0));
  return ok(out);
}

export const formatRanges = (ranges: Range[]): string => ranges.map(formatRange).join(', ');

export const spanOf = (range: Range): Span => ({ first: range.first.value, last: range.last.value });

/** The spans of ranges that must lie inside `prefix`; the first that does not is the fault. */
export function rangesInside(prefix: Prefix, ranges: Range[]): Parsed<Span[], RangeFault> {
  const stray = ranges.find((r) => !contains(prefix, r.first) || !contains(prefix, r.last));
  return stray ? fail('range-outside', { value: formatRange(stray) }) : ok(ranges.map(spanOf));
}

const keptFields = ['pool', 'quarantine', 'heldBack', 'gateway'] as const;
export type KeptField = (typeof keptFields)[number];

/** What a prefix keeps for its own addresses, each with the field that says so. */
export const keptSpans = (record: Record<KeptField, string | null>): { field: KeptField; span: Span }[] =>
  keptFields.flatMap((field) => {
    const ranges = parseRanges(record[field] ?? '');
    return ranges.ok ? ranges.value.map((range) => ({ field, span: spanOf(range) })) : [];
  });

export const spanText = (span: Span, family: Family): string =>
  formatRange({ first: { family, value: span.first }, last: { family, value: span.last } });

/** Ranges without one address; null where nothing of them is left. */
export function withoutAddress(text: string | null, address: Ip): string | null {
  if (text === null) return null;
  const left = mustParse(parseRanges(text)).flatMap(({ first, last }): Range[] => {
    const { family, value } = address;
    if (first.family !== family || value < first.value || value > last.value) return [{ first, last }];
    return [
      ...(value > first.value ? [{ first, last: { family, value: value - 1n } }] : []),
      ...(value < last.value ? [{ first: { family, value: value + 1n }, last }] : []),
    ];
  });
  return left.length === 0 ? null : formatRanges(left);
}
