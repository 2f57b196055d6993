/** What would be lost of the way in; worked out by hand for a configuration that has one of everything. */
import { expect } from 'chai';
import type { WayIn } from '../dialect/dialect.ts';
import { accountFault, lostWayIn, uplinkFault, type Credentials } from './wayIn.ts';

const way: WayIn = {
  addresses: [{ on: 'lane 304', address: '10.77.16.11/24', needs: '304' }],
  gateway: '10.77.16.1',
  users: [{ name: 'netops', password: 'rope', sealed: false }],
  keys: null,
  shell: true,
  callHome: undefined,
  carriers: [
    { port: '1/24', vlans: ['304', '316'] },
    { port: '1/1', vlans: ['316'] },
  ],
  still: [],
};
const by: Credentials = { user: 'netops', password: 'rope', publicKey: undefined };
const opens = (password: string, sealed: string) => sealed === `sealed ${password}`;
const lost = (after: Partial<WayIn>, credentials = by, comesTo: string | null = '10.77.16.11', before = way) =>
  lostWayIn(before, { ...way, ...after }, comesTo, credentials, opens).map(({ code }) => code);

describe('the way in, before and after', () => {
  it('is lost by whatever it stands on', () => {
    expect(lost({})).to.deep.equal([]);
    expect(lost({ addresses: [] })).to.deep.equal(['address']);
    expect(lost({ gateway: '10.77.16.2' })).to.deep.equal(['gateway']);
    expect(lost({ shell: false })).to.deep.equal(['shell']);
    expect(lost({ users: [] })).to.deep.equal(['account']);
    expect(lost({ still: ['1/24'] })).to.deep.equal(['uplink']);
    expect(lost({ carriers: [{ port: '1/24', vlans: ['316'] }] })).to.deep.equal(['uplink']);
  });
  it('goes by a port with a cable to another device, where the records know of any', () => {
    expect(uplinkFault(way, '10.77.16.11', ['1/24'])).to.equal(undefined);
    expect(uplinkFault(way, '10.77.16.11', ['1/1', '1/2'])?.detail).to.equal(
      '10.77.16.11 is reached by VLAN 304, which 1/24 carries; the cables to other devices are in 1/1, 1/2',
    );
  });
  it('is lost where its address is on a port that is off, or on a part of such a port', () => {
    const after = (name: string, still: string[]) =>
      uplinkFault({ ...way, addresses: [{ on: name, address: '10.77.0.42/24' }], carriers: null, still }, '10.77.0.42')
        ?.detail;
    expect(after('cu1', ['cu1'])).to.equal('10.77.0.42 is on cu1, which is off');
    expect(after('cu1.304', ['cu1'])).to.equal('10.77.0.42 is on cu1, which is off');
    expect(after('cu1', ['cu2'])).to.equal(undefined);
    expect(after('cu11', ['cu1'])).to.equal(undefined);
  });
  it('is not lost by another length, by a port of others, or where another port carries the VLAN', () => {
    expect(lost({ addresses: [{ on: 'lane 304', address: '10.77.16.11/25', needs: '304' }] })).to.deep.equal([]);
    expect(lost({ still: ['1/1'] })).to.deep.equal([]);
    expect(
      lost({ still: ['1/24'], carriers: [...(way.carriers ?? []), { port: '1/23', vlans: ['304'] }] }),
    ).to.deep.equal([]);
  });
  it('goes by the password that is used, sealed or plain, and by the key alone where that is all there is', () => {
    const sealed = { users: [{ name: 'netops', password: 'sealed rope', sealed: true }] };
    const other = { users: [{ name: 'netops', password: 'sealed knot', sealed: true }] };
    expect(lost(sealed)).to.deep.equal([]);
    expect(lost(other)).to.deep.equal(['password']);
    expect(lost(other, { ...by, password: 'knot' })).to.deep.equal([]);
    expect(lost(other, { user: 'netops', password: undefined, publicKey: 'ssh-ed25519 AAAA' })).to.deep.equal([]);
    expect(lost({ users: [] }, { user: 'netops', password: undefined, publicKey: 'ssh-ed25519 AAAA' })).to.deep.equal([
      'account',
    ]);
    expect(
      accountFault(way, { user: 'netops', password: undefined, publicKey: undefined }, opens, 'it')?.code,
    ).to.equal('account');
  });
  it('misses nothing that was not there: accounts kept elsewhere, addresses behind others, dialects that do not tell', () => {
    expect(lost({ users: [] }, { ...by, user: 'robot' })).to.deep.equal([]);
    expect(lost({ addresses: [] }, by, '192.0.2.1')).to.deep.equal([]);
    expect(lost({ addresses: [] }, by, null)).to.deep.equal([]);
    expect(lost({ still: ['1/24'] }, by, '10.77.16.11', { ...way, carriers: null })).to.deep.equal(['uplink']);
    expect(uplinkFault({ ...way, carriers: null, still: ['1/24'] }, '10.77.16.11')).to.equal(undefined);
    expect(uplinkFault({ ...way, carriers: [] }, '10.77.16.11')?.detail).to.contain('VLAN 304');
  });
});
