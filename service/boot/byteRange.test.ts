import { expect } from 'chai';
import fc from 'fast-check';
import { byteRange, namesTag } from './byteRange.ts';

describe('parts of a file that are asked for', () => {
  it('are those of RFC 9110, 14.1.2', () => {
    // Its own examples, of a representation of 10000 bytes.
    expect(byteRange('bytes=0-499', 10_000)).to.deep.equal({ first: 0, last: 499 });
    expect(byteRange('bytes=500-999', 10_000)).to.deep.equal({ first: 500, last: 999 });
    expect(byteRange('bytes=-500', 10_000)).to.deep.equal({ first: 9500, last: 9999 });
    expect(byteRange('bytes=9500-', 10_000)).to.deep.equal({ first: 9500, last: 9999 });
    expect(byteRange('bytes=0-0,-1', 10_000)).to.equal('whole');
    expect(byteRange('bytes=9990-20000', 10_000)).to.deep.equal({ first: 9990, last: 9999 });
    expect(byteRange('bytes=10000-', 10_000)).to.equal('beyond');
    expect(byteRange('bytes=-0', 10_000)).to.equal('beyond');
    for (const none of [undefined, '', 'lines=1-2', 'bytes=5-2', 'bytes=a-b', 'bytes=-'])
      expect(byteRange(none, 10), String(none)).to.equal('whole');
    expect(byteRange('bytes=0-', 0)).to.equal('beyond');
  });

  it('lie in the file, whatever is asked', () => {
    const ask = fc.oneof(
      fc.tuple(fc.nat(50), fc.nat(50)).map(([a, b]) => `bytes=${a}-${b}`),
      fc.nat(50).map((a) => `bytes=${a}-`),
      fc.nat(50).map((a) => `bytes=-${a}`),
      fc.string(),
    );
    fc.assert(
      fc.property(ask, fc.nat(40), (header, length) => {
        const range = byteRange(header, length);
        if (typeof range === 'string') return;
        expect(range.first).to.be.within(0, range.last);
        expect(range.last).to.be.below(length);
      }),
    );
  });

  it('are compared by their tags', () => {
    expect(namesTag('"a", W/"b"', '"b"')).to.equal(true);
    expect(namesTag('*', '"b"')).to.equal(true);
    expect(namesTag('"a"', '"b"')).to.equal(false);
    expect(namesTag(undefined, '"b"')).to.equal(false);
  });
});
