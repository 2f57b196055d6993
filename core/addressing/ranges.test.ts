import { expect } from 'chai';
import { mustParse } from '../fault.ts';
import { parsePrefix } from './prefix.ts';
import { formatRanges, parseRanges, rangesInside } from './ranges.ts';

describe('ranges of addresses', () => {
  it('are written in the order of their addresses', () => {
    expect(
      formatRanges(mustParse(parseRanges('10.77.16.240 - 10.77.16.250; 10.77.16.2-10.77.16.10, 10.77.16.99'))),
    ).to.equal('10.77.16.2-10.77.16.10, 10.77.16.99, 10.77.16.240-10.77.16.250');
  });

  for (const [text, code] of [
    ['10.77.16.10-10.77.16.2', 'range-order'],
    ['10.77.16.10-2001:db8::1', 'range-syntax'],
    ['10.77.16.1-10.77.16.2-10.77.16.3', 'range-syntax'],
    ['10.77.16.1-', 'range-syntax'],
    ['10.77.16.1-20', 'address-short-form'],
  ] as const) {
    it(`refuses ${text} as ${code}`, () => expect(parseRanges(text)).to.have.nested.property('fault.code', code));
  }

  it('must lie inside their prefix', () => {
    const prefix = mustParse(parsePrefix('10.77.16.0/24'));
    expect(rangesInside(prefix, mustParse(parseRanges('10.77.16.0-10.77.16.255')))).to.have.property('ok', true);
    expect(rangesInside(prefix, mustParse(parseRanges('10.77.16.250-10.77.17.3')))).to.deep.equal({
      ok: false,
      fault: { code: 'range-outside', params: { value: '10.77.16.250-10.77.17.3' } },
    });
  });
});
