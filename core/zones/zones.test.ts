import { expect } from 'chai';
import { parseIp } from '../addressing/ip.ts';
import { mustParse } from '../fault.ts';
import { hostsText, labelOf, mailboxOf, nextSerial, reverseOf, zonesOf, zoneText, type Host } from './zones.ts';

const router: Host = {
  name: 'ard-xr-1',
  domain: 'brackwater.example',
  main: ['10.77.255.2', '2001:db8:77:ff::2'],
  interfaces: [
    { name: 'self0', addresses: ['10.77.255.2', '2001:db8:77:ff::2'] },
    { name: 'cu2.316', addresses: ['10.77.17.1'] },
  ],
};
const options = { servers: ['ns1.names.example', 'ns2.names.example'], contact: 'a.b@c.example', ttlSeconds: 3600 };

describe('zone files', () => {
  it('have the names of devices and of their interfaces, and the way back', () => {
    const zones = zonesOf([router]);
    expect(zones.map((zone) => zone.name)).to.deep.equal([
      '17.77.10.in-addr.arpa',
      '255.77.10.in-addr.arpa',
      'brackwater.example',
      // RFC 3596, 2.5: nibbles, the lowest first.
      'f.f.0.0.7.7.0.0.8.b.d.0.1.0.0.2.ip6.arpa',
    ]);
    expect(zones[2]?.lines).to.deep.equal([
      'ard-xr-1\tIN\tA\t10.77.255.2',
      'ard-xr-1\tIN\tAAAA\t2001:db8:77:ff::2',
      'cu2-316.ard-xr-1\tIN\tA\t10.77.17.1',
      'self0.ard-xr-1\tIN\tA\t10.77.255.2',
      'self0.ard-xr-1\tIN\tAAAA\t2001:db8:77:ff::2',
    ]);
    expect(zones[1]?.lines).to.deep.equal(['2\tIN\tPTR\tard-xr-1.brackwater.example.']);
    expect(zones[3]?.lines).to.deep.equal(['2.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0\tIN\tPTR\tard-xr-1.brackwater.example.']);
  });

  it('are the same text whatever the order of the devices', () => {
    const other: Host = { ...router, name: 'ard-acc-1', main: ['10.77.16.11'], interfaces: [] };
    expect(zonesOf([router, other])).to.deep.equal(zonesOf([other, router]));
  });

  it('begin with who answers for them', () => {
    const text = zoneText({ name: '16.77.10.in-addr.arpa', lines: ['11\tIN\tPTR\tx.example.'] }, 2026112501, options);
    expect(text.split('\n')).to.deep.equal([
      '$ORIGIN 16.77.10.in-addr.arpa.',
      '$TTL 3600',
      '@\tIN\tSOA\tns1.names.example. a\\.b.c.example. ( 2026112501 3600 900 1209600 300 )',
      '@\tIN\tNS\tns1.names.example.',
      '@\tIN\tNS\tns2.names.example.',
      '11\tIN\tPTR\tx.example.',
      '',
    ]);
    expect(mailboxOf('hostmaster@brackwater.example')).to.equal('hostmaster.brackwater.example.');
  });

  it('have serials of the day that never go back', () => {
    expect(nextSerial(undefined, '2026-11-25')).to.equal(2026112500);
    expect(nextSerial(2026112500, '2026-11-25')).to.equal(2026112501);
    expect(nextSerial(2026112499, '2026-11-25')).to.equal(2026112500);
    expect(nextSerial(2027010100, '2026-11-25')).to.equal(2027010101);
  });

  it('have labels of letters, digits and hyphens', () => {
    expect(['1/3', 'cu2.0', '_x_', '//'].map(labelOf)).to.deep.equal(['1-3', 'cu2-0', 'x', 'interface']);
    expect(labelOf('a'.repeat(80))).to.have.length(63);
    expect(reverseOf(mustParse(parseIp('192.0.2.7')))).to.deep.equal({ zone: '2.0.192.in-addr.arpa', label: '7' });
  });
});

describe('a hosts file', () => {
  it('has addresses in their order, devices by two names, interfaces by one', () => {
    expect(hostsText([router])).to.equal(
      '10.77.17.1\tcu2-316.ard-xr-1.brackwater.example\n' +
        '10.77.255.2\tard-xr-1.brackwater.example ard-xr-1\n' +
        '2001:db8:77:ff::2\tard-xr-1.brackwater.example ard-xr-1\n',
    );
    expect(hostsText([{ ...router, domain: '', interfaces: [] }])).to.equal(
      '10.77.255.2\tard-xr-1\n2001:db8:77:ff::2\tard-xr-1\n',
    );
  });
});
