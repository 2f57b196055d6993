import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { nearest, parseKeyPart, parsePortName, sortKey } from './names.ts';

describe('names', () => {
  it('fold case and drop blanks at the ends', () =>
    expect(mustParse(parseKeyPart('  ARD-Acc.1_b '))).to.equal('ard-acc.1_b'));

  it('suggest what could be meant', () => {
    expect(parseKeyPart('Harbour House')).to.have.nested.property('fault.params.meant', 'harbour-house');
    expect(parseKeyPart('Fähre 1')).to.have.nested.property('fault.params.meant', 'fa-hre-1');
    expect(parseKeyPart('   ')).to.have.nested.property('fault.code', 'name-empty');
  });

  it('of interfaces keep their capitals', () => {
    expect(mustParse(parsePortName('Ge1/0/1.304'))).to.equal('Ge1/0/1.304');
    expect(parsePortName('ge 1')).to.have.nested.property('fault.code', 'port-name-syntax');
  });

  it('sort numbers by value', () => {
    const sorted = ['1/10', '1/2', '1/1', '2/1', '10/1', 'vlan304', 'vlan40'].sort((a, b) =>
      sortKey(a) < sortKey(b) ? -1 : 1,
    );
    expect(sorted).to.deep.equal(['1/1', '1/2', '1/10', '2/1', '10/1', 'vlan40', 'vlan304']);
  });

  it('sort any two numbers in the same frame by value', () => {
    const number = fc.nat({ max: 10 ** 9 });
    fc.assert(
      fc.property(number, number, (a, b) => void expect(sortKey(`x${a}-1`) < sortKey(`x${b}-1`)).to.equal(a < b)),
    );
  });
});

describe('the nearest name', () => {
  const sites = ['har', 'ard', 'cob', 'ske', 'mos'];
  it('is the one with the fewest slips', () => {
    expect(nearest('ardl', sites)).to.equal('ard');
    expect(nearest('adr', sites)).to.equal('ard');
    expect(nearest('HAR', sites)).to.equal('har');
    expect(nearest('hightU', ['heightU', 'widthInches'])).to.equal('heightU');
  });
  it('is nothing when none is near', () => expect(nearest('quayside', sites)).to.equal(undefined));
});
