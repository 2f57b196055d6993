import { expect } from 'chai';
import type { Stored } from '@zpine/contract/kinds';
import { bootAddresses } from './look.ts';

describe('what a device may boot with', () => {
  const address = (text: string, on: number, shared: boolean) =>
    ({ address: text, prefix: 1, interface: on, shared }) as Stored<'address'>;

  it('is its own: an address that it shares with others is nobody’s lease', () => {
    const device = { id: 7, management: 2 } as Stored<'device'>;
    const all = [address('10.77.16.1', 1, true), address('10.77.16.9', 1, false), address('10.77.16.11', 2, false)];
    expect(bootAddresses(device, all, (id) => `vlan ${id}`)).to.deep.equal([
      { address: '10.77.16.9', prefix: 1, interface: 'vlan 1', management: false },
      { address: '10.77.16.11', prefix: 1, interface: 'vlan 2', management: true },
    ]);
  });
});
