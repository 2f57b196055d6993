import { expect } from 'chai';
import { parseLabels } from './labels.ts';
import { macDigits, macTerms, wordsIn, wordsTyped } from './terms.ts';

describe('labels', () => {
  it('are words in small letters, each once, in order', () => {
    expect(parseLabels('Spare, quay  spare;old')).to.deep.equal({ ok: true, value: ['old', 'quay', 'spare'] });
    expect(parseLabels(['B', 'a'])).to.deep.equal({ ok: true, value: ['a', 'b'] });
    expect(parseLabels('')).to.deep.equal({ ok: true, value: [] });
  });
  for (const [text, code] of [
    ['räum', 'label-syntax'],
    ['-x', 'label-syntax'],
    ['none', 'label-syntax'],
    ['x'.repeat(41), 'label-long'],
    [Array.from({ length: 21 }, (_, i) => `l${i}`).join(' '), 'labels-many'],
  ] as const)
    it(`refuse ${text.slice(0, 12)}`, () => {
      const read = parseLabels(text);
      expect(read.ok ? '' : read.fault.code).to.equal(code);
    });
});

describe('search terms', () => {
  it('are words, and what follows signs in them', () =>
    expect(wordsIn('Quay-side Grünau, ard-acc-12')).to.deep.equal([
      'quay-side',
      'side',
      'grunau',
      'ard-acc-12',
      'acc-12',
      '12',
    ]));
  it('of a MAC are its digits and its ends', () =>
    expect(macTerms('00:00:5e:00:53:a1')).to.deep.equal(['00005e0053a1', '0053a1', '53a1']));
  for (const [typed, digits] of [
    ['00:00:5e', '00005e'],
    ['0000.5E00.53a1', '00005e0053a1'],
    ['53-A1', '53a1'],
    ['ard', undefined],
    ['53a', undefined],
    ['00005e0053a1ff', undefined],
  ] as const)
    it(`take ${typed} for ${digits ?? 'no'} digits of a MAC`, () => expect(macDigits(typed)).to.equal(digits));
  it('begin with what is typed, without the signs around it', () =>
    expect(wordsTyped('  "Grünau" (quay) ')).to.deep.equal(['grunau', 'quay']));
});
