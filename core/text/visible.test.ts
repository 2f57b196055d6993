import { expect } from 'chai';
import fc from 'fast-check';
import { visible } from './visible.ts';

describe('texts of others', () => {
  it('show what would steer a terminal', () => {
    expect(visible('\u001b]0;pwned\u0007\u001b[2J')).to.equal('␛]0;pwned␇␛[2J');
    expect(visible('a\u009b31mred')).to.equal('a‹009b›31mred');
    expect(visible('txt.\u202egpj')).to.equal('txt.‹202e›gpj');
    expect(visible('one\r\ntwo\tthree\rfour\n')).to.equal('one\ntwo\tthree␍four\n');
  });
  it('never keep anything that steers, and leave all else as it is', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        const seen = visible(text);
        expect(seen).not.to.match(/[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]/);
        expect(visible(seen)).to.equal(seen);
      }),
    );
    fc.assert(fc.property(fc.stringMatching(/^[ -~åøæß北\n\t]*$/u), (text) => visible(text) === text));
  });
});
