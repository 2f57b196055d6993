import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { describe, it } from 'mocha';
import { parse } from 'yaml';
import { dialectFrom, type Dialect } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { agreeByDigest, compareConfig, differencePath, type Comparison } from './compare.ts';
import type { Intended } from './intended.ts';
import { ownedTwice } from './owned.ts';
import { pushSteps } from './push.ts';

const shipped = (name: string, more: object = {}): Dialect => {
  const text = readFileSync(new URL(`../../dialects/${name}.yaml`, import.meta.url), 'utf8');
  return dialectFrom(name, dialectSheet.parse({ ...(parse(text) as object), ...more }));
};
const furrow = shipped('furrow');

/** Parts by name; names with `-` before them are not owned, `[name, owns, text]` says what they own. */
function edition(...parts: [name: string, text: string, ...owns: string[]][]): Intended {
  let text = '';
  const out = parts.map(([name, lines, ...owns]) => {
    const from = text.length;
    text += lines;
    const owned = !name.startsWith('-');
    return { name: name.replace(/^-/, ''), owned, ...(owns.length > 0 ? { owns } : {}), from, to: text.length };
  });
  return { text, parts: out };
}
const compare = (ours: string, actual: string, dialect = furrow, ...more: [string, string][]): Comparison =>
  compareConfig(edition(['ours', ours], ...more), actual, dialect);
const told = ({ differences }: Comparison): string[] =>
  differences.map((d) => `${d.kind} ${differencePath(d)}${d.instead === null ? '' : ` for ${d.instead}`}`);

describe('comparing', () => {
  it('finds no difference in other orders and other indentation', () => {
    const { matches, right } = compare(
      'name a\nsocket 1/1\n  about "x"\n  state live\n',
      'socket 1/1\n    state live\n    about "x"\nname a\n',
    );
    expect({ matches, right }).to.deep.equal({ matches: true, right: 4 });
  });
  it('names what is missing, with the block that it stands in and what stands below it', () => {
    expect(told(compare('socket 1/1\n  about "x"\n', 'socket 1/1\n'))).to.deep.equal([
      'missing socket 1/1 / about "x"',
    ]);
    const { differences, parts } = compare('socket 1/1\n  about "x"\n', '');
    expect(differences.map(({ line, below }) => [line, below])).to.deep.equal([
      ['socket 1/1', 1],
      ['about "x"', 0],
    ]);
    expect(parts).to.deep.equal([{ name: 'ours', right: 0, differs: 2, notComparable: 0 }]);
  });
  it('names what should not be there: in our blocks, and beside lines of the same family', () => {
    const compared = compare(
      'clock follow 10.77.0.5\naccount zpine\n  rank look\n',
      'clock follow 10.77.0.5\nclock follow 10.9.9.9\naccount zpine\n  rank look\n  phrase plain x\naccount intruder\n  rank look\n',
    );
    expect(told(compared)).to.deep.equal([
      'extra account zpine / phrase plain x',
      'extra clock follow 10.9.9.9',
      'extra account intruder',
    ]);
    // The block that goes takes a line with it.
    expect(compared.parts[0]?.differs).to.equal(4);
  });
  it('tells a changed line by what it takes the place of', () => {
    expect(told(compare('name a\n', 'name b\n'))).to.deep.equal(['changed name a for name b']);
    expect(told(compare('socket 1/1\n  lane 304\n', 'socket 1/1\n  lane 316\n'))).to.deep.equal([
      'changed socket 1/1 / lane 304 for lane 316',
    ]);
  });
  it('counts and shows the rest, and leaves it alone, blocks of it that the edition has outside of owned parts too', () => {
    const { matches, elsewhere } = compare('name a\nlane 4\n', 'name a\nlane 4\nlane 5\nshell on\n', furrow, [
      '-theirs',
      'lane 5\n',
    ]);
    expect(matches).to.equal(true);
    expect(elsewhere).to.deep.equal(['lane 5', 'shell on']);
  });
  it('wants a line twice that is meant twice', () => {
    expect(told(compare('greeting\n  | a\n  | a\n', 'greeting\n  | a\n'))).to.deep.equal(['missing greeting / | a']);
  });
  it('takes lines that say what is so anyway for said, and asks for them where something else is said', () => {
    expect(compare('socket 1/1\n  lane 4\n  state live\n', 'socket 1/1\n  lane 4\n').matches).to.equal(true);
    expect(compare('socket 1/1\n  lane 4\n', 'socket 1/1\n  lane 4\n  state live\n').matches).to.equal(true);
    expect(told(compare('socket 1/1\n  state live\n', 'socket 1/1\n  state still\n'))).to.deep.equal([
      'changed socket 1/1 / state live for state still',
    ]);
    expect(told(compare('socket 1/1\n  lane 4\n', 'socket 1/1\n  lane 4\n  state still\n'))).to.deep.equal([
      'extra socket 1/1 / state still',
    ]);
  });
  it('knows other spellings: upper and lower case, ranges and orders of numbers', () => {
    expect(
      compare('name Quay\nsocket 1/1\n  lanes 4,5,6,9\n', 'name quay\nsocket 1/1\n  lanes 9,4-6\n').matches,
    ).to.equal(true);
    expect(told(compare('socket 1/1\n  lanes 4,5\n', 'socket 1/1\n  lanes 4-6\n'))).to.have.length(1);
    const rewriting = shipped('furrow', { spellings: [{ line: '^clock zone (Z|UTC|GMT)$', as: 'clock zone UTC' }] });
    expect(compare('clock zone UTC\n', 'clock zone Z\n', rewriting).matches).to.equal(true);
    expect(compare('clock zone UTC\n', 'clock zone CET\n', rewriting).matches).to.equal(false);
  });
  it('asks for an order where it counts, and only there', () => {
    expect(compare('lane 4\nlane 5\n', 'lane 5\nlane 4\n').matches).to.equal(true);
    expect(
      told(compare('resolve via 10.77.0.5\nresolve via 10.77.0.6\n', 'resolve via 10.77.0.6\nresolve via 10.77.0.5\n')),
    ).to.deep.equal(['order resolve via 10.77.0.6 for resolve via 10.77.0.6']);
    // What is missing comes to the end: what should stand behind it has to come again.
    expect(told(compare('greeting\n  | a\n  | b\n  | c\n', 'greeting\n  | a\n  | c\n'))).to.deep.equal([
      'missing greeting / | b',
      'order greeting / | c for | c',
    ]);
  });
  it('verifies a digest with the salt that the device shows; what cannot be verified is not comparable, and never equal', () => {
    const digest = (password: string, salt: string) => `$6$${salt}$${[...password].reverse().join('')}`;
    const opens = (password: string, sealed: string) =>
      sealed.startsWith('$6$') ? digest(password, sealed.split('$')[2] ?? '') === sealed : undefined;
    const agree = agreeByDigest(opens, ['tide-rope', 'other']);
    const account = (phrase: string) => `account zpine\n  phrase ${phrase}\n`;
    const look = (wanted: string, shown: string, by = agree) =>
      compareConfig(edition(['ours', account(wanted)]), account(shown), furrow, by);
    const verdict = (wanted: string, shown: string, by = agree) => {
      const { matches, notComparable } = look(wanted, shown, by);
      return notComparable.length > 0 ? 'not comparable' : matches ? 'same' : 'differs';
    };
    const ours = `sealed ${digest('tide-rope', 'ours')}`;
    expect(verdict(ours, ours)).to.equal('same');
    expect(verdict(ours, `sealed ${digest('tide-rope', 'theirs')}`)).to.equal('same');
    expect(verdict(ours, `sealed ${digest('other', 'theirs')}`)).to.equal('differs');
    expect(verdict(ours, 'plain tide-rope')).to.equal('same');
    expect(verdict(ours, 'plain tide-rop')).to.equal('differs');
    expect(verdict('plain tide-rope', `sealed ${digest('tide-rope', 'theirs')}`)).to.equal('same');
    expect(verdict('plain tide-rope', 'plain tide-rope')).to.equal('same');
    // Another method, a password that nobody knows, dots: none of them tells.
    expect(verdict(ours, 'sealed $5$x$y')).to.equal('not comparable');
    expect(verdict(`sealed ${digest('unknown', 'ours')}`, `sealed ${digest('unknown', 'theirs')}`)).to.equal(
      'not comparable',
    );
    expect(verdict(ours, 'sealed ****')).to.equal('not comparable');
    expect(verdict(ours, `sealed ${digest('tide-rope', 'theirs')}`, undefined)).to.equal('same');
    expect(look(ours, 'sealed ****').parts).to.deep.equal([{ name: 'ours', right: 1, differs: 0, notComparable: 1 }]);
  });
  it('holds secrets that are no digests by their text, in lines that nothing else takes the place of', () => {
    expect(told(compare('alert to 10.77.0.7 word bell\n', 'alert to 10.77.0.7 word buoy\n'))).to.deep.equal([
      'changed alert to 10.77.0.7 word bell for alert to 10.77.0.7 word buoy',
    ]);
  });
  it('goes by the blocks of other dialects alike', () => {
    const quill = shipped('quill');
    const ours = 'clock / server 10.77.0.5\nport cu1 / note "a"\nport cu1 / link up\n';
    expect(compare(ours, 'port cu1 [\n  note "a"\n]\nclock [\n  server 10.77.0.5\n]\n', quill).matches).to.equal(true);
    expect(
      told(compare(ours, 'port cu1 [\n  note "b"\n  link off\n]\nclock [\n  server 10.77.0.6\n]\n', quill)),
    ).to.deep.equal([
      'missing clock / server 10.77.0.5',
      'extra clock / server 10.77.0.6',
      'changed port cu1 / note "a" for note "b"',
      'changed port cu1 / link up for link off',
    ]);
    const shale = shipped('shale');
    expect(told(compare('ntp 10.77.0.5\nport front1 up\n', 'ntp 10.77.0.6\nport front2 down\n', shale))).to.deep.equal([
      'missing ntp 10.77.0.5',
      'extra ntp 10.77.0.6',
      'extra port front2 down',
    ]);
  });
});

describe('parts', () => {
  it('own lines by their beginnings even where they render none, and no family then', () => {
    const time = (text: string) => edition(['time', text, 'clock follow ']);
    const against = (text: string, running: string) => told(compareConfig(time(text), running, furrow));
    expect(against('', 'clock follow 10.77.0.9\nclock zone UTC\n')).to.deep.equal(['extra clock follow 10.77.0.9']);
    const some = edition(['sockets', 'socket 1/1\n  lane 4\n', 'socket 1/']);
    const compared = compareConfig(some, 'socket 1/1\n  lane 4\nsocket 1/2\n  lane 5\nsocket 2/1\n', furrow);
    expect(told(compared)).to.deep.equal(['extra socket 1/2']);
    expect(compared.elsewhere).to.deep.equal(['socket 2/1']);
  });
  it('may own single lines of a block, and leave the rest of it alone', () => {
    const states = edition(['states', 'socket 1/1\n  state still\n', 'socket 1/1 / state ', 'socket 1/2 / state ']);
    const compared = compareConfig(
      states,
      'socket 1/1\n  about "x"\n  state still\nsocket 1/2\n  about "y"\n  state still\n',
      furrow,
    );
    expect(told(compared)).to.deep.equal(['extra socket 1/2 / state still']);
    expect(compared.elsewhere).to.deep.equal(['about "x"', 'socket 1/2', 'about "y"']);
  });
  it('that own the same line are named, whether they render it, its family, or name its beginning', () => {
    const twice = (...parts: [string, string, ...string[]][]) =>
      ownedTwice(edition(...parts), furrow).map(({ line, first, second }) => `${line}: ${first}, ${second}`);
    expect(twice(['a', 'lane 4\n'], ['b', 'lane 5\n'])).to.deep.equal(['lane 5: a, b']);
    expect(twice(['a', 'lane 4\n', 'lane 4'], ['b', 'lane 5\n'])).to.deep.equal([]);
    expect(twice(['a', '', 'clock '], ['b', 'clock follow 10.77.0.5\n'])).to.deep.equal([
      'clock follow 10.77.0.5: a, b',
    ]);
    expect(twice(['a', 'lane 4\n'], ['-b', 'lane 5\n'])).to.deep.equal([]);
    expect(
      twice(['a', 'socket 1/1\n  lane 4\n'], ['b', 'socket 1/1\n  state still\n', 'socket 1/1 / state ']),
    ).to.deep.equal([]);
    expect(twice(['a', 'lane 4\nlane 5\n'], ['b', 'name x\n'])).to.deep.equal([]);
  });
});

describe('the steps of a push', () => {
  const steps = (ours: string, actual: string, dialect = furrow) =>
    pushSteps(compare(ours, actual, dialect).differences, dialect, { vlan: '304', ports: ['1/24'] }).map(
      ({ above, line, away, instead }) =>
        `${away ? '- ' : '+ '}${[...above, line].join(' / ')}${instead === null ? '' : ` for ${instead}`}`,
    );
  it('are none where nothing differs', () => {
    expect(steps('name a\n', 'name a\nlane 4\n')).to.deep.equal([]);
  });
  it('bring what others need before them, and take it away after them', () => {
    expect(
      steps(
        'socket 1/1\n  lane 5\nface lane 5\n  at 10.77.20.1/24\nlane 5\n',
        'socket 1/1\n  lane 4\nface lane 4\n  at 10.77.19.1/24\nlane 4\n',
      ),
    ).to.deep.equal([
      '+ lane 5',
      '+ socket 1/1 / lane 5 for lane 4',
      '- lane 4',
      '+ face lane 5 / at 10.77.20.1/24',
      '- face lane 4',
    ]);
  });
  it('touch the way in last, and take its old lines away only then', () => {
    expect(
      steps(
        'way 0.0.0.0/0 by 10.77.16.2\nclock follow 10.77.0.5\nsocket 1/24\n  lanes 304,316\nsocket 1/1\n  lane 316\n',
        'way 0.0.0.0/0 by 10.77.16.1\nclock follow 10.77.0.6\nsocket 1/24\n  lanes 304\n',
      ),
    ).to.deep.equal([
      '+ socket 1/1 / lane 316',
      '+ clock follow 10.77.0.5',
      '- clock follow 10.77.0.6',
      '+ socket 1/24 / lanes 304,316 for lanes 304',
      '+ way 0.0.0.0/0 by 10.77.16.2',
      '- way 0.0.0.0/0 by 10.77.16.1',
    ]);
  });
  it('give the way in another port before they take it from the one that has it, or shut that', () => {
    expect(
      steps(
        'socket 1/1\n  lane 316\n  state still\nsocket 1/23\n  lanes 304\nsocket 1/24\n  lanes 316\n  state still\n',
        'socket 1/1\n  lane 316\nsocket 1/24\n  lanes 304,316\n',
      ),
    ).to.deep.equal([
      '+ socket 1/1 / state still',
      '+ socket 1/23 / lanes 304',
      '+ socket 1/24 / lanes 316 for lanes 304,316',
      '+ socket 1/24 / state still',
    ]);
  });
  it('take from one place what comes to another, and lines whose order counts, before that', () => {
    expect(
      steps('resolve via 10.77.0.5\nresolve via 10.77.0.6\n', 'resolve via 10.77.0.6\nresolve via 10.77.0.5\n'),
    ).to.deep.equal(['- resolve via 10.77.0.6', '+ resolve via 10.77.0.6']);
    expect(
      steps('face loop 2\n  at 10.77.255.1/32\n', 'face loop 1\n  at 10.77.255.1/32\nclock zone UTC\n'),
    ).to.deep.equal(['+ face loop 2 / at 10.77.255.1/32', '- face loop 1']);
    const loops = shipped('furrow', { wayIn: { address: '^face (?<on>lane \\d+) / at (?<address>\\S+)$' } });
    expect(steps('face loop 2\n  at 10.77.255.1/32\n', 'face loop 1\n  at 10.77.255.1/32\n', loops)).to.deep.equal([
      '- face loop 1',
      '+ face loop 2 / at 10.77.255.1/32',
    ]);
    expect(steps('alert to 10.77.0.7 word bell\n', 'alert to 10.77.0.7 word buoy\n')).to.deep.equal([
      '- alert to 10.77.0.7 word buoy',
      '+ alert to 10.77.0.7 word bell',
    ]);
  });
});
