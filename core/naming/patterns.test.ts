import { expect } from 'chai';
import { nextIn, rowOf } from './patterns.ts';

const next = (pattern: string, taken: string[], values = { site: 'SKE', duty: 'access' }): string => {
  const row = rowOf(pattern, values);
  return row.ok ? nextIn(row.value, taken) : `${row.fault.code} ${String(row.fault.params.part ?? '')}`.trim();
};

describe('names by a pattern', () => {
  const cases: [string, string[], string][] = [
    ['{site}-acc-{n}', [], 'ske-acc-1'],
    ['{site}-acc-{n}', ['ske-acc-1', 'ske-acc-9', 'ard-acc-12', 'ske-acc-x'], 'ske-acc-10'],
    ['{site}-{duty}-{nn}', ['ske-access-07'], 'ske-access-08'],
    ['sw{nnn}.{site}', ['sw004.ske', 'sw1000.ske'], 'sw1001.ske'],
    ['{site}-{flavour}-{n}', [], 'pattern-part flavour'],
    ['{site}-acc', [], 'pattern-number'],
    ['{n}-{site}-{n}', [], 'pattern-number'],
    ['{rack}-{n}', [], 'pattern-value rack'],
    ['{site} {n}', [], 'pattern-name'],
  ];
  for (const [pattern, taken, expected] of cases)
    it(`${pattern} gives ${expected}`, () => expect(next(pattern, taken)).to.equal(expected));
});
