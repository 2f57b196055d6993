import { expect } from 'chai';
import { countWords } from './count.ts';

describe('counts of addresses', () => {
  const cases: [bigint | string, string][] = [
    [0n, '0'],
    [241n, '241'],
    [65_534n, '65 534'],
    [999_999_999n, '999 999 999'],
    [1n << 64n, '2^64'],
    [(1n << 64n) - 3n, 'about 2^64'],
    [(1n << 76n) - (1n << 64n) * 16n, 'about 2^76'],
    [(1n << 76n) + (1n << 75n), 'about 1.5 × 2^76'],
    [(1n << 128n).toString(), '2^128'],
    ['18446744073709551617', 'about 2^64'],
  ];
  for (const [count, words] of cases) it(`${count} is ${words}`, () => expect(countWords(count)).to.equal(words));
});
