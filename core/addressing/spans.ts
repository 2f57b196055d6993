import { bitsOf, type Family } from './ip.ts';

/** A run of addresses, both ends included, within one family. */
export interface Span {
  first: bigint;
  last: bigint;
}

/** Sorted, disjoint and maximal: what overlaps or touches becomes one span. */
export function merged(spans: Iterable<Span>): Span[] {
  const sorted = [...spans].sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const out: Span[] = [];
  for (const span of sorted) {
    const top = out.at(-1);
    if (top && span.first <= top.last + 1n) {
      if (span.last > top.last) top.last = span.last;
    } else {
      out.push({ ...span });
    }
  }
  return out;
}

/** What of `within` no span of `taken` covers; `taken` in any order. */
export function freeWithin(within: Span, taken: Iterable<Span>): Span[] {
  const out: Span[] = [];
  let next = within.first;
  for (const span of merged(taken)) {
    if (span.last < next) continue;
    if (span.first > within.last) break;
    if (span.first > next) out.push({ first: next, last: span.first - 1n });
    next = span.last + 1n;
  }
  if (next <= within.last) out.push({ first: next, last: within.last });
  return out;
}

export const countOf = (spans: Iterable<Span>): bigint => {
  let count = 0n;
  for (const span of spans) count += span.last - span.first + 1n;
  return count;
};

/** The shortest prefix length whose aligned block fits inside the span. */
export function fitOf(span: Span, family: Family): number {
  const bits = bitsOf(family);
  const size = span.last - span.first + 1n;
  // The largest power of two not above the size is the most that could fit; alignment costs at most one step.
  for (let host = size.toString(2).length - 1; host > 0; host -= 1) {
    if (firstAligned(span, bits - host, family) !== undefined) return bits - host;
  }
  return bits;
}

/** Where the first aligned block of `length` begins inside the span, if one fits. */
export function firstAligned(span: Span, length: number, family: Family): bigint | undefined {
  const host = BigInt(bitsOf(family) - length);
  const start = ((span.first + (1n << host) - 1n) >> host) << host;
  return start + (1n << host) - 1n <= span.last ? start : undefined;
}
