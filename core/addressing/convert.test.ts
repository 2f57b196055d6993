import { expect } from 'chai';
import fc from 'fast-check';
import { convert, prefixesOf, reverseName } from './convert.ts';
import { formatPrefix, lastOf } from './prefix.ts';
import { parseIp } from './ip.ts';
import { mustParse } from '../fault.ts';

describe('conversions', () => {
  const facts = (text: string) => {
    const { is, facts: found } = mustParse(convert(text));
    return { is, ...Object.fromEntries(found) };
  };

  it('say what a prefix is, by its length, a mask or a wildcard', () => {
    const wanted = {
      is: 'prefix',
      host: '10.77.16.11',
      network: '10.77.16.0/22',
      mask: '255.255.252.0',
      wildcard: '0.0.3.255',
      'for devices': '10.77.16.1-10.77.19.254',
      broadcast: '10.77.19.255',
      addresses: '1024',
      'reverse zones': '16.77.10.in-addr.arpa, 17.77.10.in-addr.arpa, 18.77.10.in-addr.arpa, 19.77.10.in-addr.arpa',
    };
    expect(facts('10.77.16.11/22')).to.deep.equal(wanted);
    expect(facts('10.77.16.11 255.255.252.0')).to.deep.equal(wanted);
    expect(facts('10.77.16.11 0.0.3.255')).to.deep.equal(wanted);
    expect(facts('10.77.254.4/31')).to.deep.include({ 'for devices': '10.77.254.4-10.77.254.5', addresses: '2' });
    expect(facts('2001:db8:77:1000::/52')).to.deep.equal({
      is: 'prefix',
      network: '2001:db8:77:1000::/52',
      'for devices': '2001:db8:77:1000::1-2001:db8:77:1fff:ffff:ffff:ffff:ffff',
      addresses: String(1n << 76n),
      'reverse zones': '1.7.7.0.0.8.b.d.0.1.0.0.2.ip6.arpa',
    });
  });

  it('read masks, ranges, addresses and reverse names', () => {
    expect(facts('255.255.255.224')).to.deep.include({ is: 'mask', length: '/27', wildcard: '0.0.0.31' });
    expect(facts('10.0.0.5-10.0.0.9')).to.deep.equal({
      is: 'range',
      addresses: '5',
      prefixes: '10.0.0.5/32, 10.0.0.6/31, 10.0.0.8/31',
    });
    expect(facts('10.77.16.11')).to.deep.equal({
      is: 'address',
      address: '10.77.16.11',
      'reverse name': '11.16.77.10.in-addr.arpa',
      hexadecimal: '0a4d100b',
    });
    expect(facts('11.16.77.10.in-addr.arpa.')).to.deep.include({ is: 'reverse-name', address: '10.77.16.11' });
    const name = reverseName(mustParse(parseIp('2001:db8::567:89ab')));
    expect(name).to.equal('b.a.9.8.7.6.5.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.ip6.arpa');
    expect(facts(name)).to.deep.include({ address: '2001:db8::567:89ab' });
  });

  it('refuse what is none of these, with the reason', () => {
    const code = (text: string) => {
      const read = convert(text);
      return read.ok ? 'fine' : read.fault.code;
    };
    expect(code('10.0.0.1 255.0.255.0')).to.equal('mask-syntax');
    expect(code('10.0.0.010')).to.equal('address-leading-zero');
    expect(code('10.0.0.9-10.0.0.5')).to.equal('range-order');
    expect(code('10.0.0.0/33')).to.equal('prefix-length');
    expect(code('quay')).to.equal('address-syntax');
  });

  it('make of a range the prefixes that cover it, each address once', () =>
    fc.assert(
      fc.property(fc.nat(5000), fc.nat(5000), (a, more) => {
        const [first, last] = [BigInt(a), BigInt(a + more)];
        const made = prefixesOf(first, last, 4);
        let next = first;
        for (const p of made) {
          expect(p.first, formatPrefix(p)).to.equal(next);
          next = lastOf(p) + 1n;
        }
        expect(next).to.equal(last + 1n);
        expect(made.length).to.be.at.most(26);
      }),
    ));
});
