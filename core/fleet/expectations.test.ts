import { expect } from 'chai';
import fc from 'fast-check';
import { expectationsFrom, hasWord } from './expectations.ts';

describe('what an answer is expected to say', () => {
  const cases: [answer: string, text: string, has: boolean][] = [
    ['server 10.77.0.42', '10.77.0.4', false],
    ['server 110.77.0.4', '10.77.0.4', false],
    ['server 10.77.0.4.5', '10.77.0.4', false],
    ['server 10.77.0.4/24', '10.77.0.4', true],
    ['server 10.77.0.4.', '10.77.0.4', true],
    ['10.77.0.42, then 10.77.0.4', '10.77.0.4', true],
    ['2001:db8::1f', '2001:db8::1', false],
    ['in step', 'in', true],
    ['instep', 'in', false],
    ['größer', 'gr', false],
    ['clock follow 10.77', 'clock follow ', true],
    ['state live', 'state l', false],
    ['anything', '', true],
    ['', 'x', false],
  ];
  for (const [answer, text, has] of cases)
    it(`${has ? 'finds' : 'does not find'} "${text}" in "${answer}"`, () =>
      expect(hasWord(answer, text)).to.equal(has));

  it('finds every whole word of an answer, and nothing that is not in it', () => {
    const word = fc.stringMatching(/^[a-z0-9]{1,6}$/);
    fc.assert(
      fc.property(fc.array(word, { minLength: 1, maxLength: 6 }), word, (words, other) => {
        for (const one of words) expect(hasWord(words.join(' '), one)).to.equal(true);
        expect(hasWord(words.join(' '), other)).to.equal(words.includes(other));
      }),
    );
  });

  it('says what is missing, and what should not be there, in the same way', () => {
    const missed = expectationsFrom([
      { kind: 'has', text: '10.77.0.4' },
      { kind: 'lacks', text: '10.77.0.4' },
      { kind: 'lacks', text: 'lost' },
      { kind: 'matches', text: '^server .*42$' },
    ]);
    expect(missed('server 10.77.0.42').map((one) => `${one.kind} ${one.text}`)).to.deep.equal(['has 10.77.0.4']);
    expect(missed('lost').map((one) => one.kind)).to.deep.equal(['has', 'lacks', 'matches']);
  });
});
