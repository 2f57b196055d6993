import { expect } from 'chai';
import { mustParse } from '../fault.ts';
import { parseIp } from './ip.ts';
import { standsFor } from './special.ts';

describe('addresses that are no device of ours', () => {
  for (const [address, what] of [
    ['127.0.0.1', /this machine/],
    ['127.255.255.254', /this machine/],
    ['::1', /this machine/],
    ['0.0.0.0', /no address/],
    ['169.254.169.254', /link-local/],
    ['fe80::1', /link-local/],
    ['224.0.0.5', /many/],
    ['255.255.255.255', /everybody/],
    ['ff02::1', /many/],
  ] as const)
    it(`knows ${address}`, () => expect(standsFor(mustParse(parseIp(address)))).to.match(what));

  for (const address of [
    '10.77.0.1',
    '128.0.0.1',
    '126.255.255.255',
    '169.253.0.1',
    '2001:db8::1',
    'fec0::1',
    '223.1.1.1',
  ])
    it(`has nothing against ${address}`, () => expect(standsFor(mustParse(parseIp(address)))).to.equal(undefined));
});
