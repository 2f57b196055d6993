import { expect } from 'chai';
import { mustParse } from '../fault.ts';
import { parseWatchChoice, watchedBy } from './watchChoice.ts';

const known = [
  { name: 'socket 1/24', labels: ['uplink'], vlans: [304, 316], uses: ['management'], cabled: true },
  { name: 'socket 1/1', labels: [], vlans: [316], uses: ['staff'], cabled: false },
];
const watched = (...choices: string[]) => {
  const is = watchedBy(
    choices.map((one) => mustParse(parseWatchChoice(one))),
    known,
  );
  return ['socket 1/24', 'socket 1/1', 'lane 304'].filter(is);
};

describe('which interfaces are watched', () => {
  it('goes by cable, label, VLAN and use; several together', () => {
    expect(watched('all')).to.have.length(3);
    expect(watched('none')).to.deep.equal([]);
    expect(watched()).to.deep.equal([]);
    expect(watched('cabled')).to.deep.equal(['socket 1/24']);
    expect(watched('label:uplink')).to.deep.equal(['socket 1/24']);
    expect(watched('vlan:316')).to.deep.equal(['socket 1/24', 'socket 1/1']);
    expect(watched('use:staff')).to.deep.equal(['socket 1/1']);
    expect(watched('cabled', 'use:staff')).to.have.length(2);
    expect(watched('none', 'cabled')).to.deep.equal(['socket 1/24']);
  });
  it('is refused where it says nothing', () => {
    for (const text of ['', 'desks', 'label:', 'vlan:0', 'vlan:abc', 'vlan:4095'])
      expect(parseWatchChoice(text).ok, text).to.equal(false);
  });
});
