import { expect } from 'chai';
import fc from 'fast-check';
import { dialectFrom } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { MASK, Masker, textsOf } from './masking.ts';

const mask = (text: string, ...secrets: string[]): string => new Masker(secrets).mask(text);

describe('masking by value', () => {
  it('masks what is known wherever it stands, as a part of another word too', () => {
    expect(mask('name xbell-buoy-9y', 'bell-buoy-9')).to.equal(`name x${MASK}y`);
  });

  it('leaves alone what is shorter than six characters', () => {
    expect(mask('tea is tea', 'tea')).to.equal('tea is tea');
  });

  it('masks the longer of two that begin alike, and nothing of it is left', () => {
    expect(mask('harbour-lights harbour', 'harbour', 'harbour-lights')).to.equal(`${MASK} ${MASK}`);
  });

  // By hand: base64 of "harbour" is aGFyYm91cg==, of ":harbour" OmhhcmJvdXI=, of "::harbour" OjpoYXJib3Vy.
  for (const [how, text] of [
    ['base64', 'aGFyYm91cg=='],
    ['base64 behind one byte', 'OmhhcmJvdXI='],
    ['base64 behind two bytes', 'OjpoYXJib3Vy'],
    ['hex', '686172626f7572'],
    ['capital hex', '686172626F7572'],
  ] as const)
    it(`knows it in ${how}`, () => expect(mask(`x ${text} y`, 'harbour')).to.contain(MASK));

  it('knows it with quotes, escapes, line ends and in URLs', () => {
    const secret = `a "b" c's\nsecond line`;
    for (const text of [
      JSON.stringify(secret),
      encodeURIComponent(secret),
      secret.replaceAll("'", "''"),
      secret.replaceAll('\n', '\r\n'),
      'the second line alone',
    ])
      expect(mask(text, secret)).to.contain(MASK);
  });

  it('goes through values of any shape', () => {
    const held = { rows: [{ word: 'x harbour', n: 5, none: null }], harbour: true };
    expect(new Masker(['harbour']).maskAll(held)).to.deep.equal({
      rows: [{ word: `x ${MASK}`, n: 5, none: null }],
      [MASK]: true,
    });
    expect(textsOf({ a: 'x', b: ['y', { c: 1 }], d: null })).to.deep.equal(['x', 'y', '1']);
  });

  it('leaves no secret of six letters or more in any text, in none of the ways it is written', () => {
    const secrets = fc.array(fc.string({ minLength: 6, maxLength: 20 }), { minLength: 1, maxLength: 4 });
    const ways: ((secret: string) => string)[] = [
      (s) => s,
      (s) => JSON.stringify(s),
      (s) => Buffer.from(s).toString('base64'),
      (s) => Buffer.from(`x${s}`).toString('base64url'),
      (s) => Buffer.from(s).toString('hex'),
      (s) => encodeURIComponent(s),
    ];
    fc.assert(
      fc.property(secrets, fc.nat(100), fc.string(), (all, pick, around) => {
        const secret = all[pick % all.length] ?? '';
        const way = ways[pick % ways.length] ?? String;
        const masked = mask(`${around}${way(secret)}${around}`, ...all);
        expect(masked).to.contain(MASK);
        // What is around it may hold the secret as well: nowhere is it left.
        expect(masked.replaceAll(MASK, '')).to.not.contain(secret);
      }),
    );
  });
});

const sheet = (blocks: 'brace' | 'bracket' | 'indent' | 'flat', more: object = {}) =>
  dialectFrom(
    't',
    dialectSheet.parse({
      title: 't',
      channel: 'prompt',
      prompt: '^> $',
      running: 'show',
      reads: ['^show$'],
      blocks,
      secrets: ['^phrase (sealed|plain) (?<secret>\\S+)$', '^account \\S+ / word (?<secret>\\S+)$'],
      ...more,
    }),
  );

describe('secrets of a sheet', () => {
  it('are found in a line of its own', () => {
    expect(sheet('indent').masked('user a\n  phrase plain rope-walk')).to.equal(`user a\n  phrase plain ${MASK}`);
  });

  it('are found in blocks on one line', () => {
    expect(sheet('brace').masked('user a { phrase plain rope-walk-77; }')).to.equal(`user a { phrase plain ${MASK}; }`);
  });

  it('are found by their path through the blocks, short ones too', () => {
    expect(sheet('brace').masked('account netops {\n  word tea;\n  note tea time;\n}')).to.equal(
      `account netops {\n  word ${MASK};\n  note tea time;\n}`,
    );
    expect(sheet('bracket').masked('account netops [\n  word tea\n]\nnote teatime')).to.equal(
      `account netops [\n  word ${MASK}\n]\nnote teatime`,
    );
  });

  it('are found in comments, and wherever the same text repeats them', () => {
    const text = '# phrase plain rope-walk\nuser a\n  note was rope-walk once';
    expect(sheet('indent', { comment: '#' }).masked(text)).to.equal(
      `# phrase plain ${MASK}\nuser a\n  note was ${MASK} once`,
    );
  });
});
