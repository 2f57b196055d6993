/** Where the next blocks of a size go in the free space of a prefix. */
import { bitsOf, type Family } from './ip.ts';
import type { Prefix } from './prefix.ts';
import { firstAligned, fitOf, freeWithin, type Span } from './spans.ts';

/**
 * `first`: the lowest place. `best`: in the smallest hole that it fits into, so that large holes stay. `spread`: in the
 * middle of the largest hole, so that it can grow, and what stands before it, too.
 */
export const carveWays = ['first', 'best', 'spread'] as const;
export type CarveWay = (typeof carveWays)[number];

interface Hole {
  span: Span;
  /** The length of the largest block that fits into it. */
  fit: number;
}

interface Wanted {
  length: number;
  count: number;
  way: CarveWay;
  family: Family;
  /** The prefix that is carved. */
  within: Span;
}

/** The blocks, in the order in which they were found; fewer than asked for where there is no more room. */
export function carve(free: readonly Span[], { length, count, way, family, within }: Wanted): Prefix[] {
  const out: Prefix[] = [];
  const holesOf = (spans: readonly Span[]): Hole[] =>
    spans.map((span) => ({ span, fit: fitOf(span, family) })).filter(({ fit }) => fit <= length);
  const holes = holesOf(free);
  while (out.length < count && holes.length > 0) {
    const at = choose(holes, way);
    const hole = holes[at];
    if (!hole) break;
    const first = startIn(hole, length, way, family, within);
    out.push({ family, first, length });
    const block = { first, last: first + (1n << BigInt(bitsOf(family) - length)) - 1n };
    holes.splice(at, 1, ...holesOf(freeWithin(hole.span, [block])));
  }
  return out;
}

/** Which hole; the lowest of those that are alike. */
function choose(holes: readonly Hole[], way: CarveWay): number {
  if (way === 'first') return 0;
  let best = 0;
  for (const [i, { fit }] of holes.entries()) {
    const held = holes[best]?.fit ?? fit;
    if (way === 'best' ? fit > held : fit < held) best = i;
  }
  return best;
}

function startIn({ span, fit }: Hole, length: number, way: CarveWay, family: Family, within: Span): bigint {
  if (way !== 'spread') return firstAligned(span, length, family) ?? span.first;
  const hole = firstAligned(span, fit, family) ?? span.first;
  // Nothing stands before the very first block, so it may begin where everything begins.
  if (hole === within.first || fit === length) return hole;
  return hole + (1n << BigInt(bitsOf(family) - fit - 1));
}
