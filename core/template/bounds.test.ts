/** What a template may cost: each of these stops with a fault, soon, whatever it would have made. */
import { expect } from 'chai';
import { checkTemplate } from './check.ts';
import { compileTemplate } from './compile.ts';
import { TemplateStop } from './faults.ts';
import { parseTemplate } from './parse.ts';
import { render } from './render.ts';
import { secretText } from './values.ts';

let crypts = 0;
function code(source: string): string {
  const digest = (text: string): string => text.slice(0, 10);
  const crypt = (text: string): string => ((crypts += 1), text);
  try {
    const data = { set: { word: secretText('w'.repeat(600)) } };
    const files = render(
      compileTemplate('t', source, () => undefined),
      { data, secrets: {}, host: { sha256: digest, sha512crypt: crypt } },
    );
    return files[0]?.text ?? '';
  } catch (error) {
    if (error instanceof TemplateStop) return error.fault.code;
    throw error;
  }
}

const doubled = (times: number): string =>
  ['@let a0 = "xxxxxxxxxxxxxxxx"', ...Array.from({ length: times }, (_, i) => `@let a${i + 1} = a${i} + a${i}`)].join(
    '\n',
  );
const squared = ['@let n0 = 3', ...Array.from({ length: 40 }, (_, i) => `@let n${i + 1} = n${i} * n${i}`)].join('\n');

const bombs: Record<string, [source: string, fault: RegExp]> = {
  'a text that doubles': [`${doubled(26)}\nlong @{count(a26)}`, /too-large/],
  'many texts that are as long as they may be': [
    `${doubled(16)}\n${Array.from({ length: 60 }, (_, i) => `@let b${i} = upper(a16)`).join('\n')}`,
    /too-much/,
  ],
  'a text that grows by what replaces': [
    '@let a = pad("a", 10000)\n@let b = replace(a, " ", a)\n@{count(b)}',
    /^type$|too-large/,
  ],
  'a list joined with itself': ['@let a = pad("a", 10000)\n@{join(range(1, 9999), a)}', /^type$/],
  'a list that is longer than lists are': ['@{count(range(1, 200000))}', /^too-large|type/],
  'lists put together': ['@let a = range(1, 60000)\n@{count(flatten([a, a]))}', /^type$/],
  'a text cut into too many pieces': [`${doubled(13)}\n@{count(split(a13, "x"))}`, /^type$/],
  'summing again and again': ['@let a = range(1, 90000)\n@for i of range(1, 500)\n@let k = sum(a)\n@end', /too-much/],
  'searching a long list': ['@let a = range(1, 90000)\n@for i of range(1, 500)\n@if 0 in a\n@end\n@end', /too-much/],
  'comparing long texts': [`${doubled(15)}\n@for i of range(1, 5000)\n@if a15 == a15 + ""\n@end\n@end`, /too-much/],
  'unique of unlike things': ['@let a = pick([{x: [1]}], "x")\n@{count(unique(range(1, 30000)))}', /too-much/],
  'numbers that square': [`${squared}\n@{n40}`, /too-large/],
  'a number of many digits in a text': [`@{int("${'9'.repeat(5000)}")}`, /type/],
  'a number of many digits in the template': [`@{${'9'.repeat(1200)}}`, /too-large/],
  'hashes for passwords': ['@for i of range(1, 150)\n@let k = sha512crypt("r@{i}")\n@end', /too-much/],
  'a password of great length': ['@{sha512crypt(set.word)}', /type/],
  'a pattern with many states': [
    '@for i of range(1, 99)\n@if matches(pad("a", 9000), "(?:.?){900}b")\n@end\n@end',
    /too-much/,
  ],
  'a pattern that nests': [`@{matches("a", "${'('.repeat(4000)}a${')'.repeat(4000)}")}`, /type/],
  'a chain of sums': [`@{${Array.from({ length: 4000 }, () => '1').join(' + ')}}`, /too-deep/],
  'a chain of ors': [`@if ${Array.from({ length: 4000 }, () => 'true').join(' or ')}\n@end`, /too-deep/],
  'a chain of names': [`@{a${'.a'.repeat(9000)}}`, /too-deep/],
  'a chain of ??': [`@{${Array.from({ length: 9000 }, () => 'null').join(' ?? ')}}`, /too-deep/],
  'blocks inside each other': [`${'@if true\n'.repeat(1000)}${'@end\n'.repeat(1000)}`, /too-deep/],
  'quotes inside each other': [`@{${'"@{'.repeat(20_000)}1${'}"'.repeat(20_000)}}`, /too-deep|unclosed|syntax/],
  'brackets inside each other': [`@{${'('.repeat(20_000)}1${')'.repeat(20_000)}}`, /too-deep/],
};

describe('bounds of templates', () => {
  for (const [what, [source, fault]] of Object.entries(bombs))
    it(`stop ${what}`, () => {
      expect(code(source)).to.match(fault);
      // The check must not fall over it either.
      checkTemplate('t', source, () => undefined, { names: {}, secrets: [] });
    });

  it('hash no more passwords than a rendering may cost', () => expect(crypts).to.be.lessThan(70));
  it('leave room for what real templates do', () => {
    expect(
      code(
        '@for i of range(1, 2000)\nport @{i} @{upper("desk @{i}")} @{mac("02005e005301", "xx:xx:xx:xx:xx:xx")}\n@end',
      ),
    ).to.contain('port 2000 DESK 2000');
    expect(code('@{1 / 1099511627776}')).to.equal('0.0000000000009094947017729282379150390625');
    expect(code('@{2 / 3}')).to.equal('0.66666666666666666666');
  });
  it('name one fault for blocks that nest too deep', () => {
    const { faults } = parseTemplate('t', `${'@if true\n'.repeat(300)}${'@end\n'.repeat(300)}`);
    expect(faults.map((fault) => fault.code)).to.deep.equal(['too-deep']);
  });
});
