import { expect } from 'chai';
import { disagree, type Said } from './labels.ts';

const said = (value: Said['value'], mode: Said['mode'] = 'set', rank: number | null = null): Said => ({
  rank,
  mode,
  value,
});

describe('labels that say something about one setting', () => {
  const cases: [string, Said, Said, boolean][] = [
    ['the same value', said('a'), said('a'), false],
    ['different values', said('a'), said('b'), true],
    ['different values, one of them ranked', said('a', 'set', 1), said('b'), false],
    ['different values of one rank', said('a', 'set', 3), said('b', 'set', 3), true],
    ['maps with different keys', said({ x: 1 }), said({ y: 2 }), false],
    ['maps that differ in a key', said({ x: 1 }), said({ x: 2 }), true],
    ['both adding to a list', said(['a'], 'add'), said(['b'], 'add'), false],
    ['one setting, one adding', said(['a']), said(['b'], 'add'), true],
    ['one adding what the other takes away', said(['a'], 'add'), said(['a'], 'take-away'), true],
    ['one adding, one taking something else away', said(['a'], 'add'), said(['b'], 'take-away'), false],
  ];
  for (const [what, one, other, expected] of cases)
    it(`${expected ? 'disagree' : 'go together'}: ${what}`, () => {
      expect(disagree(one, other)).to.equal(expected);
      expect(disagree(other, one)).to.equal(expected);
    });
});
