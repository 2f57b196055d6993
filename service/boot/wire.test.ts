import { expect } from 'chai';
import { interfaceOf } from './wire.ts';

const on = (address: string, length: number) => ({
  address,
  cidr: `${address}/${length}`,
  netmask: '',
  family: 'IPv4' as const,
  mac: '00:00:00:00:00:00',
  internal: false,
});

describe('the wire of an address', () => {
  const all = {
    lo: [on('127.0.0.1', 8)],
    srv0: [on('10.77.16.9', 24)],
    oth1: [on('192.168.88.1', 24), on('10.77.0.1', 16)],
  };

  it('is the interface that has it, before one in whose network it lies, the smaller network first', () => {
    expect(interfaceOf('10.77.16.9', all)).to.equal('srv0');
    expect(interfaceOf('10.77.16.40', all)).to.equal('srv0');
    expect(interfaceOf('10.77.20.4', all)).to.equal('oth1');
    // A stretch of loopback has more addresses than are listed.
    expect(interfaceOf('127.77.0.10', all)).to.equal('lo');
  });

  it('is none where no network has it', () => expect(interfaceOf('172.16.0.1', all)).to.equal(undefined));
});
