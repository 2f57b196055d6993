import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { RE2JS } from 're2js';
import { compilePattern } from './pattern.ts';

describe('patterns', () => {
  it('give their named parts, and where they stand', () => {
    const pattern = compilePattern('^socket (?<port>\\S+) / lane (?<vlan>\\d+)$');
    expect(pattern.find('socket 1/4 / lane 304')).to.deep.equal({ port: '1/4', vlan: '304' });
    expect(pattern.find('sock 1/4 / lane 304')).to.equal(undefined);
    expect(pattern.at('socket 1/4 / lane 304', 0, 'vlan')).to.deep.equal({ from: 18, to: 21 });
  });
  it('fit what the engine says that they fit, although most texts are told by their first letters', () => {
    const piece = fc.constantFrom(
      'a',
      'b',
      ' ',
      '|',
      '(',
      ')',
      '[',
      ']',
      '^',
      '*',
      '?',
      '+',
      '{2}',
      '\\',
      '.',
      '$',
      '\\Q',
      '\\E',
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 9 }), fc.stringMatching(/^[ab|(\] ]{0,5}$/), (pieces, text) => {
        const source = `^${pieces.join('')}`;
        let compiled: RE2JS;
        try {
          compiled = RE2JS.compile(source);
        } catch {
          return;
        }
        const pattern = compilePattern(source);
        expect(pattern.test(text), source).to.equal(compiled.matcher(text).find());
        expect(pattern.find(text) !== undefined, source).to.equal(pattern.test(text));
        expect(pattern.at(text, 0) !== undefined, source).to.equal(pattern.test(text));
      }),
      { numRuns: 3000 },
    );
  });
});
