import { expect } from 'chai';
import fc from 'fast-check';
import { countOf, firstAligned, fitOf, freeWithin, merged, type Span } from './spans.ts';

/** Small worlds, so that a naive set of numbers can be the judge. */
const TOP = 255n;
const anySpan = fc
  .tuple(fc.bigInt({ min: 0n, max: TOP }), fc.bigInt({ min: 0n, max: TOP }))
  .map(([a, b]): Span => (a < b ? { first: a, last: b } : { first: b, last: a }));
const anySpans = fc.array(anySpan, { maxLength: 12 });

const members = (spans: Span[]): Set<bigint> => {
  const out = new Set<bigint>();
  for (const span of spans) for (let n = span.first; n <= span.last; n += 1n) out.add(n);
  return out;
};

const isTidy = (spans: Span[]): boolean =>
  spans.every((span, i) => span.first <= span.last && (i === 0 || span.first > (spans[i - 1]?.last ?? 0n) + 1n));

describe('spans', () => {
  it('merge into the same numbers, disjoint and maximal', () => {
    fc.assert(
      fc.property(anySpans, (spans) => {
        const result = merged(spans);
        expect(members(result)).to.deep.equal(members(spans));
        expect(isTidy(result)).to.equal(true);
        expect(countOf(result)).to.equal(BigInt(members(spans).size));
      }),
    );
  });

  it('leave exactly what is not taken', () => {
    fc.assert(
      fc.property(anySpan, anySpans, (within, taken) => {
        const result = freeWithin(within, taken);
        const gone = members(taken);
        const expected = [...members([within])].filter((n) => !gone.has(n));
        expect([...members(result)]).to.deep.equal(expected);
        expect(isTidy(result)).to.equal(true);
      }),
    );
  });

  it('do not change what they were given', () => {
    const spans = [
      { first: 1n, last: 5n },
      { first: 4n, last: 9n },
    ];
    merged(spans);
    expect(spans[0]).to.deep.equal({ first: 1n, last: 5n });
  });

  for (const family of [4, 6] as const) {
    const base = family === 4 ? 0x0a4d0000n : 0x20010db800770000n << 64n;
    const bits = family === 4 ? 32 : 128;

    it(`know the largest aligned block that fits (IPv${family})`, () => {
      fc.assert(
        fc.property(anySpan, (small) => {
          const span = { first: base + small.first, last: base + small.last };
          const fit = fitOf(span, family);
          const naive = (length: number) => {
            const size = 1n << BigInt(bits - length);
            for (let n = span.first; n <= span.last; n += 1n)
              if (n % size === 0n && n + size - 1n <= span.last) return n;
            return undefined;
          };
          expect(firstAligned(span, fit, family)).to.equal(naive(fit));
          expect(naive(fit)).to.not.equal(undefined);
          expect(naive(fit - 1)).to.equal(undefined);
        }),
      );
    });
  }

  it('know that everything fits into everything', () => {
    expect(fitOf({ first: 0n, last: (1n << 128n) - 1n }, 6)).to.equal(0);
    expect(fitOf({ first: 0n, last: (1n << 32n) - 1n }, 4)).to.equal(0);
    expect(fitOf({ first: 1n, last: (1n << 32n) - 1n }, 4)).to.equal(1);
  });
});
