import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { formatIp, fromBytes, maxOf, parseIp, toBytes, type Family, type Ip } from './ip.ts';

const anyIp: fc.Arbitrary<Ip> = fc
  .constantFrom<Family>(4, 6)
  .chain((family) => fc.bigInt({ min: 0n, max: maxOf(family) }).map((value) => ({ family, value })))
  .filter((ip) => ip.family === 4 || ip.value >> 32n !== 0xffffn);

const fault = (text: string) => {
  const read = parseIp(text);
  return read.ok ? formatIp(read.value) : read.fault;
};

describe('addresses', () => {
  it('reads back whatever it writes', () => {
    fc.assert(fc.property(anyIp, (ip) => void expect(mustParse(parseIp(formatIp(ip)))).to.deep.equal(ip)));
  });

  it('keeps every address through its sixteen bytes', () => {
    fc.assert(fc.property(anyIp, (ip) => void expect(fromBytes(toBytes(ip), ip.family)).to.deep.equal(ip)));
  });

  it('orders the bytes as the values are ordered', () => {
    const pair = fc
      .constantFrom<Family>(4, 6)
      .chain((family) =>
        fc.tuple(
          fc.bigInt({ min: 0n, max: maxOf(family) }),
          fc.bigInt({ min: 0n, max: maxOf(family) }),
          fc.constant(family),
        ),
      );
    fc.assert(
      fc.property(pair, ([a, b, family]) => {
        const order = Buffer.compare(toBytes({ family, value: a }), toBytes({ family, value: b }));
        expect(order).to.equal(a < b ? -1 : a > b ? 1 : 0);
      }),
    );
  });

  it('stores IPv4 mapped, as RFC 4291 has it', () => {
    const bytes = toBytes(mustParse(parseIp('10.77.16.11')));
    expect(Buffer.from(bytes).toString('hex')).to.equal('00000000000000000000ffff0a4d100b');
  });

  for (const [typed, written] of [
    // The examples of RFC 5952, sections 1, 4.2 and 5.
    ['2001:db8:0:0:1:0:0:1', '2001:db8::1:0:0:1'],
    ['2001:0db8:0:0:1:0:0:1', '2001:db8::1:0:0:1'],
    ['2001:db8::1:0:0:1', '2001:db8::1:0:0:1'],
    ['2001:DB8:0:0:1::1', '2001:db8::1:0:0:1'],
    ['2001:db8:aaaa:bbbb:cccc:dddd:0:1', '2001:db8:aaaa:bbbb:cccc:dddd:0:1'],
    ['2001:0:0:1:0:0:0:1', '2001:0:0:1::1'],
    ['::', '::'],
    ['::1', '::1'],
    ['1::', '1::'],
    ['64:ff9b::192.0.2.33', '64:ff9b::c000:221'],
    [' 10.77.16.11 ', '10.77.16.11'],
    ['0.0.0.0', '0.0.0.0'],
    ['255.255.255.255', '255.255.255.255'],
  ] as const) {
    it(`writes ${typed.trim()} as ${written}`, () => expect(fault(typed)).to.equal(written));
  }

  for (const [typed, code, meant] of [
    ['010.0.0.1', 'address-leading-zero', '10.0.0.1'],
    ['10.0.0.00', 'address-leading-zero', '10.0.0.0'],
    ['1', 'address-short-form', undefined],
    ['10.1', 'address-short-form', undefined],
    ['10.0.0.256', 'address-octet', undefined],
    ['10.0.0.1.5', 'address-syntax', undefined],
    ['0x0a.0.0.1', 'address-syntax', undefined],
    ['fe80::1%eth0', 'address-zone', 'fe80::1'],
    ['::ffff:10.77.16.11', 'address-mapped', '10.77.16.11'],
    ['::ffff:a4d:100b', 'address-mapped', '10.77.16.11'],
    ['1::2::3', 'address-syntax', undefined],
    ['1:2:3:4:5:6:7', 'address-syntax', undefined],
    ['1:2:3:4:5:6:7:8:9', 'address-syntax', undefined],
    ['1:2:3:4::5:6:7:8', 'address-syntax', undefined],
    ['12345::', 'address-syntax', undefined],
    ['::10.0.0.01', 'address-leading-zero', '10.0.0.1'],
    [':', 'address-syntax', undefined],
    ['', 'address-syntax', undefined],
    ['unassigned', 'address-syntax', undefined],
  ] as const) {
    it(`refuses "${typed}" as ${code}`, () => {
      const found = fault(typed);
      expect(found).to.have.property('code', code);
      if (meant) expect(found).to.have.nested.property('params.meant', meant);
    });
  }

  it('never throws, whatever it is given', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom(...'0123456789abcdef:.%/ -x') }),
        (text) => void expect(parseIp(text)).to.have.property('ok'),
      ),
    );
  });
});
