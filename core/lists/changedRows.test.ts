import { expect } from 'chai';
import fc from 'fast-check';
import { changedRows } from './changedRows.ts';

type Row = { name: string; value: number };
const keyOf = ({ name }: Row) => name;

describe('what has changed of a list', () => {
  it('is new, another or gone; in whichever order its fields stand', () => {
    const before = [
      { name: 'a', value: 1 },
      { name: 'b', value: 2 },
      { name: 'c', value: 3 },
    ];
    const after: Row[] = [
      { value: 1, name: 'a' },
      { name: 'd', value: 4 },
      { name: 'b', value: 5 },
    ];
    expect(changedRows(before, after, keyOf).map(({ deed, row }) => `${deed} ${row.name}`)).to.deep.equal([
      'added d',
      'changed b',
      'gone c',
    ]);
  });

  it('is all that is needed to make one list of the other', () => {
    const list = fc.uniqueArray(fc.record({ name: fc.constantFrom(...'abcdefgh'), value: fc.nat(2) }), {
      selector: keyOf,
    });
    fc.assert(
      fc.property(list, list, (before, after) => {
        const held = new Map(before.map((row) => [row.name, row]));
        for (const { deed, row } of changedRows(before, after, keyOf)) {
          expect(held.has(row.name)).to.equal(deed !== 'added');
          if (deed === 'gone') held.delete(row.name);
          else held.set(row.name, row);
        }
        expect([...held.values()].sort((a, b) => (a.name < b.name ? -1 : 1))).to.deep.equal(
          [...after].sort((a, b) => (a.name < b.name ? -1 : 1)),
        );
      }),
    );
  });
});
