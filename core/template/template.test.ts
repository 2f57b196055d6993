import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { checkTemplate, type Catalogue } from './check.ts';
import { compileTemplate } from './compile.ts';
import { faultText, TemplateStop } from './faults.ts';
import { compilePattern } from '../text/pattern.ts';
import { maskedText, render } from './render.ts';
import type { RenderInput } from './run.ts';
import { any, listOf, mapOf, number, secretShape, text } from './shapes.ts';
import { secretText, type Val } from './values.ts';

const host = { sha256: (t: string) => `sha(${t})`, sha512crypt: (t: string) => `$6$${t.length}` };

interface Given {
  data?: Record<string, Val>;
  fragments?: Record<string, string>;
  secrets?: Record<string, Val>;
}

const library =
  (fragments: Record<string, string> = {}) =>
  (name: string) =>
    fragments[name];

function files(source: string, { data = {}, fragments, secrets = {} }: Given = {}, trace = false) {
  const input: RenderInput = { data, secrets, host, trace };
  return render(compileTemplate('t', source, library(fragments)), input);
}
const out = (source: string, given?: Given): string => files(source, given)[0]?.text ?? '';
const value = (expression: string, given?: Given): string => out(`@{${expression}}`, given);

function stop(source: string, given?: Given): string {
  try {
    out(source, given);
  } catch (error) {
    if (error instanceof TemplateStop)
      return `${error.fault.line}:${error.fault.column} ${error.fault.code} ${error.fault.message}`;
    throw error;
  }
  throw new Error('it rendered');
}

const catalogue: Catalogue = {
  names: {
    device: mapOf({ name: text(), duty: text(), rank: number() }),
    interfaces: listOf(mapOf({ name: text(), vlan: number() })),
    set: mapOf({ time: mapOf({ servers: listOf(text()) }), trap: mapOf({ word: secretShape() }), free: any }),
  },
  secrets: ['trap.word'],
};
const faults = (source: string, fragments?: Record<string, string>): string[] =>
  checkTemplate('t', source, library(fragments), catalogue).map(
    (f) => `${f.template}:${f.line}:${f.column} ${f.code}${f.hint ? ` (${f.hint})` : ''}`,
  );

describe('template text', () => {
  it('comes out letter for letter', () => {
    const source = 'name x\n  indented  \n\nnoc@brackwater.example\n';
    expect(out(source)).to.equal(source);
  });
  it('has @@ for one @, and needs no end of line at the end', () =>
    expect(out('a@@b\n@@let x')).to.equal('a@b\n@let x'));
  it('reads CRLF as a line end', () => expect(out('a\r\nb\r\n')).to.equal('a\nb\n'));
  it('takes an @ with a digit or blank behind it as text', () => expect(out('@ a\n@1\n')).to.equal('@ a\n@1\n'));
  it('keeps any text that has no @', () => {
    fc.assert(
      fc.property(
        fc.string().map((t) => t.replaceAll('@', '').replaceAll('\r', '')),
        (t) => {
          expect(out(t)).to.equal(t);
        },
      ),
    );
  });
  it('refuses unknown directives and braces that are never closed, all of them', () => {
    expect(faults('@lett x = 1\nfine\nx @{1 + \n  @fort\n')).to.deep.equal([
      't:1:1 directive-unknown (did you mean @let? A line that begins with @ as text is written @@lett)',
      't:3:3 unclosed (as text it is written @@{)',
      't:4:3 directive-unknown (did you mean @for? A line that begins with @ as text is written @@fort)',
    ]);
  });
  it('indents a value of several lines as its line, when it is alone there', () => {
    const data = { banner: 'one\n\ntwo\n' };
    expect(out('a\n  @{banner}  \nb\n', { data })).to.equal('a\n  one\n\n  two\nb\n');
    expect(out('a: @{banner}|\n', { data })).to.equal('a: one\n\ntwo\n|\n');
  });
  it('does not let a list or nothing stand in a text', () => {
    expect(stop('a @{x}\n', { data: { x: ['1'] } })).to.equal('1:5 type a list cannot stand in a text');
    expect(stop('a @{x}\n', { data: { x: null } })).to.equal('1:5 type nothing cannot stand in a text');
  });
});

describe('template expressions', () => {
  const cases: [string, string][] = [
    ['1 + 2 * 3', '7'],
    ['-2 * 3', '-6'],
    ['0.1 + 0.2', '0.3'],
    ['7 / 2', '3.5'],
    ['1 / 3', '0.33333333333333333333'],
    ['-7 % 3', '2'],
    ['7 % -3', '-2'],
    ['9007199254740993 + 0', '9007199254740993'],
    ['not 1 == 2', 'true'],
    ['1 == "1"', 'false'],
    ['[1, {a: 2}] == [1, {a: 2}]', 'true'],
    ['"b" in ["a", "b"]', 'true'],
    ['"x" not in "text"', 'false'],
    ['"a" in {a: 1}', 'true'],
    ['0 ? "yes" : "no"', 'yes'],
    ['"" ? "yes" : "no"', 'no'],
    ['[] or 3', 'true'],
    ['null and x', 'false'],
    ['"a" + "b"', 'ab'],
    ['"n@{1 + 1}@@x\\t."', 'n2@x\t.'],
    ["'it\\'s @{raw}'", "it's @{raw}"],
    ['"outer @{"inner @{1}"}"', 'outer inner 1'],
    ['{"a-b": 4}["a-b"]', '4'],
    ['[1, 2][5] ?? "gone"', 'gone'],
    ['[1, 2][-1] ?? "gone"', 'gone'],
    ['null ?? 3 + 4', '7'],
    ['null ?? -3 + 4', '1'],
    ['m.nope.deeper ?? "none"', 'none'],
    ['m.none?.deeper.still ?? "none"', 'none'],
    ['first([]) ?? "none"', 'none'],
    ['true ? false ? 1 : 2 : 3', '2'],
  ];
  for (const [source, expected] of cases) {
    it(`${source} is ${expected}`, () =>
      expect(value(source, { data: { m: { none: null }, x: 1 } })).to.equal(expected));
  }
  const faulty: [string, RegExp][] = [
    ['1 < 2 < 3', /chained/],
    ['1 < "2"', /type a number and a text have no order/],
    ['1 + "2"', /type/],
    ['1 / 0', /division by zero/],
    ['nope', /unknown-name there is no name "nope"/],
    ['m.nope', /missing "nope" is missing/],
    ['m.none.x', /missing/],
    ['nope ?? 1', /unknown-name/],
    ['"a\\q"', /escape/],
    ['{a: 1, a: 2}', /twice/],
    ['m.none ?? ', /syntax/],
    ['x.y', /type a number has no "y"/],
  ];
  for (const [source, expected] of faulty) {
    it(`${source} is a fault`, () =>
      expect(stop(`@{${source}}`, { data: { m: { none: null }, x: 1 } })).to.match(expected));
  }
  it('nests at most 200 levels', () => {
    expect(value(`${'('.repeat(150)}1${')'.repeat(150)}`)).to.equal('1');
    expect(stop(`@{${'('.repeat(300)}1${')'.repeat(300)}}`)).to.match(/too-deep/);
    expect(stop(`@{${'not '.repeat(300)}1}`)).to.match(/too-deep/);
  });
  it('computes sums and products as whole numbers do', () => {
    fc.assert(
      fc.property(
        fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n }),
        fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n }),
        (a, b) => {
          expect(value(`(${a}) + (${b})`)).to.equal(String(a + b));
          expect(value(`(${a}) * (${b})`)).to.equal(String(a * b));
        },
      ),
    );
  });
});

describe('template blocks', () => {
  const data: Record<string, Val> = {
    ports: [
      { name: '1/10', vlan: 316 },
      { name: '1/2', vlan: null },
      { name: '1/1', vlan: 304 },
    ],
    m: { b: 2, a: 1 },
  };
  it('take the first branch that holds, and leave no lines behind', () => {
    const source = '@if m.a == 2\ntwo\n  @else if m.a == 1\n one\n@else\nelse\n@end if\nend\n';
    expect(out(source, { data })).to.equal(' one\nend\n');
  });
  it('go through lists with filter and order, counting behind both', () => {
    const source = '@for i, p of ports where p.vlan by p.name down\n@{i} @{p.name}\n@end\n';
    expect(out(source, { data })).to.equal('0 1/10\n1 1/1\n');
  });
  it('order numbers inside texts by value, and put nothing last', () => {
    expect(out('@for p of ports by p.name\n@{p.name}\n@end\n', { data })).to.equal('1/1\n1/2\n1/10\n');
    expect(out('@for p of ports by p.vlan\n@{p.name}\n@end\n', { data })).to.equal('1/1\n1/10\n1/2\n');
    expect(out('@for p of ports by p.vlan down\n@{p.name}\n@end\n', { data })).to.equal('1/10\n1/1\n1/2\n');
  });
  it('go through maps by key, and have a branch for nothing', () => {
    expect(out('@for k, v of m\n@{k}=@{v}\n@end\n', { data })).to.equal('a=1\nb=2\n');
    expect(out('@for p of []\nx\n@none\nnothing\n@end for\n')).to.equal('nothing\n');
    expect(stop('@for p of null\n@end\n')).to.match(/1:1 type @for goes through a list or a map, not through nothing/);
  });
  it('give names to values, inner blocks hiding outer ones', () => {
    expect(out('@let a = 1\n@if true\n@let a = 2\n@{a}\n@end\n@{a}\n')).to.equal('2\n1\n');
    expect(faults('@let a = 1\n@let a = 2\n@let device = 3\n')).to.deep.equal([
      't:2:1 twice',
      't:3:1 hidden (choose another name)',
    ]);
  });
  it('are reported where they open when they are never closed, and a wrong end word once', () => {
    expect(faults('@if true\n@for x of []\n@end if\ntext\n')).to.deep.equal([
      't:1:1 unclosed (@end is missing)',
      't:3:1 end-word (write @end or @end for)',
    ]);
    expect(faults('@end\n@else\n@none\n')).to.deep.equal(['t:1:1 stray', 't:2:1 stray', 't:3:1 stray']);
  });
  it('name parts of the file, owned or not', () => {
    const [file] = files('a\n@part "m"\nb\n@end part\n@part "n" not owned\nc\n@end\n');
    expect(file?.text).to.equal('a\nb\nc\n');
    expect(file?.parts).to.deep.equal([
      { name: 'm', owned: true, from: 2, to: 4 },
      { name: 'n', owned: false, from: 4, to: 6 },
    ]);
    expect(faults('@part "m"\n@part "n"\n@end\n@end\n@part "m"\n@end\n')).to.deep.equal([
      't:2:1 nested',
      't:5:1 twice',
    ]);
    expect(stop('@for x of [1, 2]\n@part "m"\n@end\n@end\n')).to.match(/twice/);
  });
  it('say which lines a part owns by their beginnings, even where it has none; two owners are a fault', () => {
    const [file] = files('@part "time" owns "clock follow ", "zone "\n@end\n@part "n" not owned\nc\n@end\n');
    expect(file?.parts[0]).to.deep.equal({
      name: 'time',
      owned: true,
      owns: ['clock follow ', 'zone '],
      from: 0,
      to: 0,
    });
    expect(faults('@part "a" owns "clock "\n@end\n@part "b" owns "clock follow "\n@end\n')).to.deep.equal([
      't:3:1 two-owners',
    ]);
    expect(faults('@part "a" owns " "\n@end\n@part "b" not owned owns "x"\n@end\n')).to.deep.equal([
      't:1:1 syntax',
      't:3:21 syntax',
    ]);
  });
  it('make further files', () => {
    const made = files('main\n@output "motd-@{1}"\nhello\n@end\nmore\n');
    expect(made.map((f) => [f.name, f.text])).to.deep.equal([
      ['', 'main\nmore\n'],
      ['motd-1', 'hello\n'],
    ]);
    expect(stop('@output "a/b"\n@end\n')).to.match(/output-name/);
  });
  it('stop with their own words where something required is not there', () => {
    expect(stop('x\n@require m.nope.x, "no word for @{m.a}"\n', { data })).to.equal('2:1 require no word for 1');
    expect(out('@require m.a, "fine"\nx', { data })).to.equal('x');
  });
});

describe('template fragments', () => {
  it('are indented where they are inserted, empty lines excepted, and end with a line end', () => {
    const fragments = { f: 'port @{p}\n\n  up', g: '@insert "f" given p = "2"\n' };
    expect(out('a\n  @insert "f" given p = "1"\nb\n', { fragments })).to.equal('a\n  port 1\n\n    up\nb\n');
    expect(out(' @insert "g"\n', { fragments })).to.equal(' port 2\n\n   up\n');
  });
  it('see the data and what they are given, nothing else', () => {
    expect(faults('@let x = 1\n@insert "f"\n', { f: '@{device.name} @{x}\n' })).to.deep.equal(['f:1:18 unknown-name']);
  });
  it('in a ring are one fault, at the insert that closes it', () => {
    expect(faults('@insert "f"\n', { f: '@insert "g"\n', g: 'x\n @insert "f"\n' })).to.deep.equal(['g:2:2 ring']);
    expect(faults('@insert "h"\n')).to.deep.equal(['t:1:1 fragment-unknown']);
  });
  it('nest at most 32 deep', () => {
    const fragments = Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`f${i}`, `@insert "f${i + 1}"\n`]));
    expect(stop('@insert "f0"\n', { fragments })).to.match(/too-deep/);
  });
});

describe('template checks', () => {
  it('find unknown names everywhere, in branches never taken too', () => {
    expect(faults('@if false\n@{device.nam} @{devcie}\n@end\n@{set.time.server}\n@{uper("x")}\n')).to.deep.equal([
      't:2:10 unknown-name (did you mean "name"?)',
      't:2:17 unknown-name (did you mean "device"?)',
      't:4:12 unknown-name (did you mean "servers"?)',
      't:5:3 unknown-function (did you mean "upper"?)',
    ]);
  });
  it('find wrong types where the catalogue knows the type', () => {
    expect(
      faults(
        '@{set.time.servers}\n@{device.rank + "x"}\n@{upper(device.rank)}\n@for x of device.name\n@end\n@{interfaces.name}\n@{nth(device.name)}\n',
      ),
    ).to.deep.equal([
      't:1:12 type (write join(..., ", "))',
      't:2:15 type (put numbers into a text with "@{...}")',
      't:3:16 type',
      't:4:18 type',
      't:6:14 type (go through it with @for, or take first(...))',
      't:7:3 arguments',
    ]);
  });
  it('show the line and a caret', () => {
    const [fault] = checkTemplate('ports', 'a\n\tb @{nope}\n', library(), catalogue);
    expect(fault && faultText(fault)).to.equal(
      'ports:2:6: there is no name "nope" here\n  2 | \tb @{nope}\n    | \t    ^',
    );
  });
  it('never throw, whatever they read', () => {
    const piece = fc.constantFrom(
      '@',
      '{',
      '}',
      '"',
      "'",
      '@{',
      '@if ',
      '@end',
      '@for x of ',
      '\n',
      ' ',
      'set',
      '.',
      '??',
      '(',
      ')',
      '[',
      '1',
      '@let a = ',
      '\\',
      '@part "a"',
    );
    fc.assert(
      fc.property(fc.array(fc.oneof(piece, fc.string({ maxLength: 3 })), { maxLength: 30 }), (parts) => {
        expect(() => faults(parts.join(''))).not.to.throw();
      }),
      { numRuns: 500 },
    );
  });
});

describe('template secrets', () => {
  const data: Record<string, Val> = {
    set: { word: secretText('s3cret'), users: [{ name: 'a', password: secretText('pw') }] },
  };
  const shown = (source: string): string =>
    files(source, { data, secrets: { word: secretText('s3cret') } })
      .map(maskedText)
      .join('');
  it('stay masked, and so does what is made of them', () => {
    expect(shown('w @{set.word}!\n')).to.equal('w ••••••!\n');
    expect(shown('@{upper(set.word)} @{"<@{secret("word")}>"} @{sha256(set.word)}\n')).to.equal(
      '•••••• <••••••> ••••••\n',
    );
    expect(shown('@let x = "u " + set.word\n  @{x}\n')).to.equal('  u ••••••\n');
    expect(shown('@{join([set.word, "b"], ",")}')).to.equal('••••••,b');
    expect(out('@{sha512crypt(set.word)}', { data })).to.equal('$6$6');
  });
  it('stay masked inside an indented fragment', () => {
    const made = files('  @insert "f"\n', { data, fragments: { f: 'x @{set.word}\ny @{set.word}' } });
    expect(made.map(maskedText)).to.deep.equal(['  x ••••••\n  y ••••••\n']);
    expect(made[0]?.text).to.equal('  x s3cret\n  y s3cret\n');
  });
  it('can be asked whether they are set, and nothing more', () => {
    expect(shown('@if set.word and set.word != null\nset\n@end\n@for u of set.users\n@{u.name}\n@end\n')).to.equal(
      'set\na\n',
    );
    for (const source of [
      'set.word == "x"',
      'count(set.word)',
      'matches(set.word, "a.*")',
      '"s" in set.word',
      'set.word ? 1 : 2',
      'set.word < "a"',
      'int(set.word)',
      '{a: 1}[set.word]',
      'set.word in ["s3cret"]',
    ]) {
      expect(stop(`@{${source}}`, { data }), source).to.match(/secret/);
    }
  });
  it('are faults of the check where they could leak', () => {
    const uses = [
      'set.trap.word == "x"',
      'count(secret("trap.word"))',
      'matches(set.trap.word, "a")',
      '"s" in set.trap.word',
      'set.trap.word ? 1 : 2',
      'sort([set.trap.word])',
      'upper(set.trap.word) < "a"',
    ];
    for (const use of uses) expect(faults(`@if ${use}\n@end\n`), use).to.have.length(1);
    expect(faults('@if set.trap.word == null or not set.trap.word\n@end\n@{set.trap.word}\n')).to.deep.equal([]);
    expect(faults('@{secret("trap.wrod")}\n')).to.deep.equal(['t:1:10 unknown-name (did you mean "trap.word"?)']);
  });
});

describe('template bounds', () => {
  it('end what takes too many steps, with the place', () => {
    expect(stop('@for a of range(1, 5000)\n@for b of range(1, 5000)\n@end\n@end\n')).to.match(/too-much/);
    expect(stop('@{count(range(1, 900000000000))}')).to.match(/too-much/);
  });
  it('end what writes too much', () => {
    expect(stop(`@for a of range(1, 20000)\n${'x'.repeat(100)}\n@end\n`)).to.equal(
      '2:1 too-large the output is larger than 1 MiB',
    );
  });
  it('hold patterns to linear time', () => {
    expect(compilePattern('(a*)*b').whole('a'.repeat(5000))).to.equal(false);
    expect(compilePattern('[a-c]{2,3}\\d+').whole('abc12')).to.equal(true);
  });
});

describe('template functions', () => {
  const cases: [string, string][] = [
    ['bare("10.77.16.11/24")', '10.77.16.11'],
    ['network("10.77.16.11/24")', '10.77.16.0/24'],
    ['mask("10.77.16.11/20")', '255.255.240.0'],
    ['wildcard("10.77.16.11/24")', '0.0.0.255'],
    ['bits("2001:db8:77::1/64")', '64'],
    ['nth("10.77.16.0/24", 1)', '10.77.16.1'],
    ['nth("10.77.16.0/24", -1)', '10.77.16.255'],
    ['inside("10.77.16.0/24", "10.77.16.9")', 'true'],
    ['inside("10.77.16.0/24", "2001:db8::1")', 'false'],
    ['after("10.77.16.255/24", 1)', '10.77.17.0/24'],
    ['after("10.77.17.0", -1)', '10.77.16.255'],
    ['pointer("10.77.16.1")', '1.16.77.10.in-addr.arpa'],
    ['family("2001:db8::1")', '6'],
    ['mac("00:00:5E:00:53:A1", "xxxx.xxxx.xxxx")', '0000.5e00.53a1'],
    ['mac("00:00:5e:00:53:a1", "XX-XX-XX-XX-XX-XX")', '00-00-5E-00-53-A1'],
    ['replace("a.b.c", ".", "$&")', 'a$&b$&c'],
    ['pad("ab", 4) + "|"', 'ab  |'],
    ['pad("ab", -4)', '  ab'],
    ['join(split("a,b", ","), "-")', 'a-b'],
    ['quote("say \\"hi\\" \\\\")', '"say \\"hi\\" \\\\"'],
    ['join(sort(["1/10", "1/2"]), " ")', '1/2 1/10'],
    ['join(unique([1, 1, 2]), " ")', '1 2'],
    ['join(flatten([[1], [2, 3]]), " ")', '1 2 3'],
    ['join(range(3, 5), " ")', '3 4 5'],
    ['join(pick([{a: 1}, {b: 2}], "a")[0] == 1 ? ["y"] : [], "")', 'y'],
    ['join(keys({b: 1, a: 2}), "")', 'ab'],
    ['join(values({b: 1, a: 2}), "")', '21'],
    ['merge({a: {x: 1, y: 2}}, {a: {y: 3}}).a.y', '3'],
    ['sum([0.1, 0.2])', '0.3'],
    ['min(3, 1, 2)', '1'],
    ['max([3, 1])', '3'],
    ['int("42")', '42'],
    ['int(-1.9)', '-1'],
    ['hex(255, 4)', '00ff'],
    ['base64("Ardle ü")', 'QXJkbGUgw7w='],
    ['count("über")', '4'],
    ['last(lines("a\\nb\\n"))', 'b'],
    ['matches("1/24", "[0-9]+/[0-9]+")', 'true'],
    ['trim("  x ") + lower("Y") + upper("z")', 'xyZ'],
  ];
  for (const [source, expected] of cases)
    it(`${source} is ${expected}`, () => expect(value(source)).to.equal(expected));
  it('name what they cannot take', () => {
    expect(stop('@{mask("2001:db8::/64")}')).to.match(/masks are written for IPv4 only/);
    expect(stop('@{bare("10.77.16")}')).to.match(/bare: an address is expected, not a text "10.77.16"/);
    expect(stop('@{nth("10.77.16.0/24", 256)}')).to.match(/a position inside/);
    expect(stop('@{sort([1, "a"])}')).to.match(/have no order/);
  });
});

describe('template traces', () => {
  it('name line, inserts, loops and settings of every output line', () => {
    const data: Record<string, Val> = { set: { time: { servers: ['10.77.0.1'] }, x: 1 }, ports: [{ name: '1/1' }] };
    const fragments = { f: 'ntp @{t}\n' };
    const source =
      '@let s = set.time.servers\nhead\n@for p of ports\nport @{p.name} @{set.x}\n  @insert "f" given t = first(s)\n@end\n';
    const [file] = files(source, { data, fragments }, true);
    expect(file?.text).to.equal('head\nport 1/1 1\n  ntp 10.77.0.1\n');
    const loops = [{ name: 'p', value: '1/1' }];
    expect(file?.trace).to.deep.equal([
      { template: 't', line: 2, inserts: [], loops: [], settings: [] },
      { template: 't', line: 4, inserts: [], loops, settings: ['set.x'].map(() => 'x') },
      {
        template: 'f',
        line: 1,
        inserts: [{ template: 't', line: 5, fragment: 'f' }],
        loops,
        settings: ['time.servers'],
      },
    ]);
  });
});
