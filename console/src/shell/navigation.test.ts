import { expect } from 'chai';
import { kindNames } from '@zpine/contract/kinds';
import { sections } from './navigation.ts';

describe('the navigation of the console', () => {
  it('leads to the list of every kind, by one way', () => {
    expect(sections.flatMap(({ kinds }) => kinds).sort()).to.deep.equal([...kindNames].sort());
  });

  it('has an address and a key of its own for every section', () => {
    for (const own of [sections.map(({ to }) => to), sections.map(({ key }) => key)])
      expect(new Set(own).size).to.equal(sections.length);
  });

  it('begins each group with what people come for', () => {
    expect(sections.flatMap(({ kinds: [first] }) => first ?? [])).to.deep.equal([
      'site',
      'box',
      'device',
      'prefix',
      'setting',
      'template',
      'batch',
      'check',
    ]);
  });
});
