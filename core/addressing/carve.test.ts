import { expect } from 'chai';
import fc from 'fast-check';
import { carve, carveWays, type CarveWay } from './carve.ts';
import { formatPrefix, lastOf, parsePrefix } from './prefix.ts';
import { freeWithin, type Span } from './spans.ts';
import { mustParse } from '../fault.ts';

const span = (text: string): Span => {
  const p = mustParse(parsePrefix(text));
  return { first: p.first, last: lastOf(p) };
};

describe('carving', () => {
  const within = span('10.0.0.0/16');
  const blocks = (taken: string[], length: number, count: number, way: CarveWay) =>
    carve(freeWithin(within, taken.map(span)), { length, count, way, family: 4, within }).map(formatPrefix);

  it('takes the lowest place, the tightest hole, or the middle of the widest', () => {
    const taken = ['10.0.0.0/24', '10.0.2.0/24', '10.0.4.0/23', '10.0.128.0/17'];
    expect(blocks(taken, 24, 3, 'first')).to.deep.equal(['10.0.1.0/24', '10.0.3.0/24', '10.0.6.0/24']);
    expect(blocks(taken, 24, 3, 'best')).to.deep.equal(['10.0.1.0/24', '10.0.3.0/24', '10.0.6.0/24']);
    expect(blocks(taken, 23, 1, 'first')).to.deep.equal(['10.0.6.0/23']);
    expect(blocks(taken, 22, 1, 'best')).to.deep.equal(['10.0.8.0/22']);
    expect(blocks(taken, 24, 2, 'spread')).to.deep.equal(['10.0.96.0/24', '10.0.48.0/24']);
    expect(blocks([], 20, 3, 'spread')).to.deep.equal(['10.0.0.0/20', '10.0.192.0/20', '10.0.96.0/20']);
  });

  it('keeps large holes where the best fit is asked for', () => {
    const taken = ['10.0.0.0/17', '10.0.128.0/24', '10.0.130.0/23', '10.0.132.0/22', '10.0.136.0/21'];
    expect(blocks(taken, 24, 2, 'first')).to.deep.equal(['10.0.129.0/24', '10.0.144.0/24']);
    expect(blocks(taken, 24, 1, 'best')).to.deep.equal(['10.0.129.0/24']);
  });

  it('gives fewer where there is no more room', () => {
    expect(blocks(['10.0.0.0/17'], 18, 5, 'first')).to.have.length(2);
    expect(blocks([], 8, 1, 'first')).to.deep.equal([]);
    expect(blocks(['10.0.0.0/16'], 30, 1, 'spread')).to.deep.equal([]);
  });

  it('never overlaps, always aligned, whatever is taken; and finds room wherever there is some', () =>
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(65535), fc.integer({ min: 18, max: 30 })), { maxLength: 20 }),
        fc.integer({ min: 18, max: 25 }),
        fc.constantFrom(...carveWays),
        (some, length, way) => {
          const taken = some.map(([at, bits]) => {
            const size = 1n << BigInt(32 - bits);
            const first = within.first + (BigInt(at) / size) * size;
            return { first, last: first + size - 1n };
          });
          const made = carve(freeWithin(within, taken), { length, count: 600, way, family: 4, within });
          const spans = made.map((p) => ({ first: p.first, last: lastOf(p) }));
          const size = 1n << BigInt(32 - length);
          for (const one of spans) expect(one.first % size).to.equal(0n);
          const clash = spans.some((one) => taken.some((o) => one.first <= o.last && o.first <= one.last));
          expect(clash).to.equal(false);
          expect(new Set(spans.map((one) => one.first)).size).to.equal(spans.length);
          // A naive model: every aligned place that nothing touches.
          let places = 0;
          for (let at = within.first; at <= within.last; at += size)
            if (!taken.some((one) => one.first <= at + size - 1n && at <= one.last)) places += 1;
          expect(made.length).to.equal(places);
        },
      ),
      { numRuns: 60 },
    ));
});
