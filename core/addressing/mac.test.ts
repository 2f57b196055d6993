import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { macFromBytes, macToBytes, parseMac } from './mac.ts';

describe('MAC addresses', () => {
  for (const typed of [
    '00:00:5e:00:53:a1',
    '00-00-5E-00-53-A1',
    '0000.5e00.53a1',
    '00005e0053a1',
    '00005E-0053A1',
    '0000-5e00-53a1',
    ' 00 00 5e 00 53 a1 ',
    '0000:5e00:53a1',
  ]) {
    it(`reads ${typed.trim()}`, () => expect(mustParse(parseMac(typed))).to.equal('00:00:5e:00:53:a1'));
  }
  for (const typed of [
    '',
    '00:00:5e:00:53',
    '00:00:5e:00:53:g1',
    '00:00:5e:00:53:a1:00',
    'not a mac',
    '00005e0053a',
    '::00005e0053a1',
  ]) {
    it(`refuses "${typed}"`, () => expect(parseMac(typed)).to.have.nested.property('fault.code', 'mac-syntax'));
  }
  it('keeps every address through its six bytes', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 6, maxLength: 6 }), (bytes) => {
        expect(macToBytes(mustParse(parseMac(macFromBytes(bytes))))).to.deep.equal(bytes);
      }),
    );
  });
});
