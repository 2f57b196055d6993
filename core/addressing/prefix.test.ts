import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { formatIp, maxOf, parseIp, type Family } from './ip.ts';
import {
  contains,
  covers,
  formatPrefix,
  lastOf,
  networkOf,
  parsePrefix,
  sizeOf,
  truncations,
  usableRange,
  type Prefix,
} from './prefix.ts';

const anyPrefix: fc.Arbitrary<Prefix> = fc
  .constantFrom<Family>(4, 6)
  .chain((family) =>
    fc
      .tuple(fc.bigInt({ min: 0n, max: maxOf(family) }), fc.integer({ min: 0, max: family === 4 ? 32 : 128 }))
      .map(([value, length]) => networkOf({ family, value }, length)),
  );

const usable = (text: string): string => {
  const p = mustParse(parsePrefix(text));
  const { first, last } = usableRange(p);
  return `${formatIp({ family: p.family, value: first })} ${formatIp({ family: p.family, value: last })}`;
};

describe('prefixes', () => {
  it('reads back whatever it writes', () => {
    const plain = anyPrefix.filter((p) => p.family === 4 || p.first >> 32n !== 0xffffn);
    fc.assert(fc.property(plain, (p) => void expect(mustParse(parsePrefix(formatPrefix(p)))).to.deep.equal(p)));
  });

  it('finds every covering block among the truncations, and no other', () => {
    fc.assert(
      fc.property(anyPrefix, (p) => {
        const above = truncations(p);
        expect(above).to.have.length(p.length);
        for (const [i, outer] of above.entries()) {
          expect(outer.length).to.equal(p.length - 1 - i);
          expect(covers(outer, p)).to.equal(true);
          expect(covers(p, outer)).to.equal(false);
        }
      }),
    );
  });

  it('contains its first and last address and neither neighbour', () => {
    fc.assert(
      fc.property(anyPrefix, (p) => {
        const at = (value: bigint) => contains(p, { family: p.family, value });
        expect([at(p.first), at(lastOf(p)), at(p.first - 1n), at(lastOf(p) + 1n)]).to.deep.equal([
          true,
          true,
          false,
          false,
        ]);
        expect(sizeOf(p)).to.equal(lastOf(p) - p.first + 1n);
      }),
    );
  });

  it('asks which is meant when host bits are set', () => {
    const read = parsePrefix('10.77.48.7/24');
    expect(read).to.deep.equal({
      ok: false,
      fault: {
        code: 'prefix-host-bits',
        params: { value: '10.77.48.7/24', network: '10.77.48.0/24', host: '10.77.48.7' },
      },
    });
  });

  for (const [text, code] of [
    ['10.0.0.0/33', 'prefix-length'],
    ['10.0.0.0/-1', 'prefix-length'],
    ['10.0.0.0/08', 'prefix-length'],
    ['10.0.0.0/', 'prefix-length'],
    ['::/129', 'prefix-length'],
    ['10.0.0.0', 'prefix-syntax'],
    ['10.0.0/24', 'address-short-form'],
    ['010.0.0.0/8', 'address-leading-zero'],
  ] as const) {
    it(`refuses ${text} as ${code}`, () => expect(parsePrefix(text)).to.have.nested.property('fault.code', code));
  }

  it('gives devices both ends of links, and keeps the edges of everything else', () => {
    expect(usable('10.77.16.0/24')).to.equal('10.77.16.1 10.77.16.254');
    expect(usable('10.77.254.0/31')).to.equal('10.77.254.0 10.77.254.1');
    expect(usable('10.77.255.1/32')).to.equal('10.77.255.1 10.77.255.1');
    expect(usable('10.77.254.0/30')).to.equal('10.77.254.1 10.77.254.2');
    expect(usable('2001:db8:77::/64')).to.equal('2001:db8:77::1 2001:db8:77:0:ffff:ffff:ffff:ffff');
    expect(usable('2001:db8:77::/127')).to.equal('2001:db8:77:: 2001:db8:77::1');
    expect(usable('2001:db8:77::5/128')).to.equal('2001:db8:77::5 2001:db8:77::5');
    expect(usable('0.0.0.0/0')).to.equal('0.0.0.1 255.255.255.254');
  });

  it('keeps the families apart', () => {
    const four = mustParse(parsePrefix('0.0.0.0/0'));
    const six = mustParse(parsePrefix('::/0'));
    expect(covers(four, six)).to.equal(false);
    expect(contains(six, mustParse(parseIp('10.0.0.1')))).to.equal(false);
  });
});
