/** No template tells anything of a secret but whether it is set. */
import { expect } from 'chai';
import fc from 'fast-check';
import { checkTemplate } from './check.ts';
import { compileTemplate } from './compile.ts';
import { faultText, TemplateStop } from './faults.ts';
import { maskedText, render } from './render.ts';
import { any, mapOf, secretShape } from './shapes.ts';
import { secretText } from './values.ts';

/** Everything of a rendering that people may see. */
function seen(source: string, secret: string): unknown {
  try {
    const files = render(
      compileTemplate('t', source, (name) => (name === 'f' ? '@{w}\n x @{w}@{w}' : undefined)),
      {
        data: { set: { word: secretText(secret), people: { anna: secretText(secret), ben: secretText('other') } } },
        secrets: { word: secretText(secret) },
        trace: true,
        host: { sha256: (text) => `sha-${text}`, sha512crypt: (text) => `crypt-${text}` },
      },
    );
    return files.map((file) => ({ name: file.name, text: maskedText(file), trace: file.trace }));
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    return faultText(error.fault);
  }
}

const leaf = fc.constantFrom(
  ...Array.from({ length: 8 }, () => 'set.word'),
  'secret("word")',
  'set.people.anna',
  '"@{set.word}-x"',
  '"abc"',
  '"10.77.0.1/24"',
  '""',
  '"a"',
  '7',
  'null',
  '[set.word, "b"]',
  'set.people',
  '["a", "b", "a"]',
);
const names = (
  'bare network mask bits family pointer upper lower trim quote lines count first last sort unique flatten keys values ' +
  'sum min max int hex base64 sha256 sha512crypt'
).split(' ');
const pairs = 'split join pad nth after inside mac matches pick range merge'.split(' ');
const { expression } = fc.letrec<{ expression: string }>((tie) => ({
  expression: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc.tuple(fc.constantFrom(...names), tie('expression')).map(([name, x]) => `${name}(${x})`),
    fc.tuple(fc.constantFrom(...pairs), tie('expression'), tie('expression')).map(([n, x, y]) => `${n}(${x}, ${y})`),
    fc.tuple(tie('expression'), tie('expression')).map(([x, y]) => `replace(${x}, ${y}, "z")`),
    fc
      .tuple(
        tie('expression'),
        fc.constantFrom('+', '==', '!=', '<', 'in', 'not in', 'and', 'or', '??'),
        tie('expression'),
      )
      .map(([x, op, y]) => `(${x} ${op} ${y})`),
    tie('expression').map((x) => `(${x} ? "yes" : "no")`),
    tie('expression').map((x) => `(not ${x})`),
    tie('expression').map((x) => `${x}[0]`),
    tie('expression').map((x) => `"<@{${x}}>"`),
  ),
}));
/** What makes a text of a secret and stops at none: most of what is tried has to run to its end. */
const { kept } = fc.letrec<{ kept: string }>((tie) => ({
  kept: fc.oneof(
    { depthSize: 'small' },
    { weight: 2, arbitrary: fc.constantFrom('set.word', 'secret("word")', 'set.people.anna') },
    {
      weight: 3,
      arbitrary: fc
        .tuple(fc.constantFrom('trim', 'trim', 'upper', 'lower', 'quote', 'base64', 'sha256'), tie('kept'))
        .map(([name, x]) => `${name}(${x})`),
    },
    { weight: 1, arbitrary: tie('kept').map((x) => `pad(${x}, 9)`) },
    { weight: 1, arbitrary: tie('kept').map((x) => `join([${x}, "b"], ",")`) },
    { weight: 1, arbitrary: tie('kept').map((x) => `("n" + ${x})`) },
    { weight: 1, arbitrary: tie('kept').map((x) => `"@{${x}}@{${x}} "`) },
  ),
}));
const shown = fc.oneof({ weight: 2, arbitrary: kept }, { weight: 1, arbitrary: expression });
const line = fc.oneof(
  shown.map((x) => `@{${x}}`),
  shown.map((x) => `  @{${x}}  `),
  shown.map((x) => `at @{${x}} end`),
  shown.map((x) => `@if ${x}\nyes\n@else\nno\n@end`),
  expression.map((x) => `@for i, v of ${x}\n@{i} @{v ?? "none"}\n@none\nnothing\n@end`),
  expression.map((x) => `@for v of ["c", "b"] where ${x} by ${x}\n@{v}\n@end`),
  shown.map((x) => `  @insert "f" given w = ${x}\nbehind`),
  expression.map((x) => `@require ${x}, "no @{${x} ?? "none"}"`),
  shown.map((x) => `@output "file"\n@{${x}}\n@end`),
  shown.map((x) => `@let v = ${x}\n@{upper(v)}`),
);

/** Two values of the same length, among them those that functions would tell apart. */
const two = fc
  .constantFrom(
    ['bell-buoy-9', 'rope-walk-7'],
    ['10.77.0.1/24', 'no-address!!'],
    ['a\nb\nc', 'abcde'],
    ['abc\n', 'abcd'],
    ['\nabc', 'abcd'],
    ['    ', ' abc'],
    ['aaaa', 'bcde'],
    ['1234', '12x4'],
    ['"\\"\\', 'abcd'],
    ['a', 'z'],
  )
  .map(([one, other]) => [one ?? '', other ?? ''] as const);

describe('secrets in templates', () => {
  it('leave text, faults, trace and number of lines as they are, whatever their letters', function () {
    this.timeout(60_000);
    fc.assert(
      fc.property(fc.array(line, { minLength: 1, maxLength: 3 }), two, fc.boolean(), (lines, [one, other], ended) => {
        const source = lines.join('\n') + (ended ? '\n' : '');
        expect(seen(source, one), source).to.deep.equal(seen(source, other));
      }),
      { numRuns: 3000 },
    );
  });

  /** Ways in which secrets could be spelled letter by letter, each a fault wherever it is looked at. */
  const ways = [
    '@{bare(set.word)}',
    '@{nth(set.word, 1)}',
    '@{mac("02:00:5e:00:53:01", set.word)}',
    '@if first(split(set.word, "a"))\nyes\n@end',
    '@{count(split(set.word, "a"))}',
    '@{count(lines(set.word))}',
    '@for x of split(set.word, "a")\nx\n@end',
    '@{split("guess", set.word)[0]}',
    '@if replace(set.word, "bell-buoy-9", "")\nyes\n@end',
    '@{[set.word] == ["bell-buoy-9"]}',
    '@{{a: set.word} == {a: "bell-buoy-9"}}',
    '@{["bell-buoy-9"] in [[set.word]]}',
    '@{join(unique([set.word, "bell-buoy-9"]), " ")}',
    '@{pick([{a: 1}], set.word)[0] ?? "none"}',
    '@{matches("bell", set.word)}',
    '@{int(set.word)}',
  ];
  for (const way of ways)
    it(`are not told by ${way.split('\n')[0]}`, () => {
      const words = String(seen(way, 'rope-walk-7'));
      expect(words)
        .to.match(/secret/)
        .and.to.not.contain('rope-walk');
      const names = { set: mapOf({ word: secretShape(), people: any }) };
      expect(checkTemplate('t', way, () => undefined, { names, secrets: ['word'] }).length).to.be.greaterThan(0);
    });

  it('count as set when they are, whatever is left of them', () => {
    expect(JSON.stringify(seen('@if trim(set.word)\nset\n@end\n', '   '))).to.contain('set');
    expect(JSON.stringify(seen('<@{trim(set.word)}>\n', '   '))).to.contain('<••••••>');
  });
  it('stay one masked span over several lines, and go out as they are', () => {
    const [file] = render(
      compileTemplate('t', 'key\n  @{set.word}\nend\n', () => undefined),
      {
        data: { set: { word: secretText('one\n\ntwo\n') } },
        secrets: {},
        trace: true,
        host: { sha256: (text) => text, sha512crypt: (text) => text },
      },
    );
    expect(file?.text).to.equal('key\n  one\n\n  two\nend\n');
    expect(file && maskedText(file)).to.equal('key\n  ••••••\nend\n');
    expect(file?.trace?.map((origin) => origin.line)).to.deep.equal([1, 2, 3]);
  });
});
