import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import fc from 'fast-check';
import { parse } from 'yaml';
import { dialectFrom } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { applied } from '../config/applied.ts';
import { contradiction, lookAtErrand, stepsOf } from './errandSteps.ts';
import { errandWarnings } from './errandWarnings.ts';

const shipped = (name: string) =>
  dialectFrom(
    name,
    dialectSheet.parse(parse(readFileSync(new URL(`../../dialects/${name}.yaml`, import.meta.url), 'utf8'))),
  );
const [furrow, quill] = [shipped('furrow'), shipped('quill')];

const running = [
  'name har-acc-7',
  'alert to 10.77.0.8 word hush-hush',
  'alert to 10.77.0.9 word hush-hush',
  'greeting',
  '  | one line',
  '  | another',
  'lane 410',
  'lane 420',
  'socket 1/2',
  '  about "desk"',
  '  lane 316',
  '  state still',
  '',
].join('\n');
const told = (lines: string, has = running, options = {}) =>
  stepsOf(furrow, lines, has, options).map(
    ({ above, line, away, instead, right }) =>
      `${right ? '=' : away ? '-' : '+'} ${[...above, line].join(' > ')}${instead === null ? '' : ` for ${instead}`}`,
  );
/** What would run once the steps are done. */
const then = (lines: string, has = running) =>
  applied(
    furrow.parse(has),
    stepsOf(furrow, lines, has).filter(({ right }) => !right),
  );

describe('the steps of an errand', () => {
  it('say what is there, what comes, what goes, and what takes whose place', () => {
    expect(
      told('name har-acc-8\nlane 410\nlane 430\n- lane 420\nsocket 1/2\n  about "desk"\n  state live\n'),
    ).to.deep.equal([
      '+ name har-acc-8 for name har-acc-7',
      '= lane 410',
      '+ lane 430',
      '- lane 420',
      '= socket 1/2 > about "desk"',
      '+ socket 1/2 > state live for state still',
    ]);
  });

  it('follow one another: a block that is struck and written anew keeps what is right', () => {
    expect(told('- greeting\ngreeting\n  | one line\n')).to.deep.equal([
      '- greeting > | another',
      '= greeting > | one line',
    ]);
    expect(told('- greeting\ngreeting\n  | new\n')).to.deep.equal([
      '- greeting > | one line',
      '- greeting > | another',
      '+ greeting > | new',
    ]);
    expect(told('lane 430\n- lane 430\n')).to.deep.equal(['= lane 430']);
    expect(told('- socket 1/2\n')).to.deep.equal(['- socket 1/2']);
  });

  it('take away by the beginning of lines, and by a pattern; a line as it stands goes first', () => {
    expect(told('- alert to 10.77.0.8 ...\n')).to.deep.equal(['- alert to 10.77.0.8 word hush-hush']);
    expect(told('- alert to ...\n')).to.have.length(2);
    expect(told('- ~ lane 4[12]0\n')).to.deep.equal(['- lane 410', '- lane 420']);
    expect(told('- lane 4 ...\n')).to.deep.equal(['= lane 4 ...']);
    expect(told('socket 1/2\n  - state ...\n')).to.deep.equal(['- socket 1/2 > state still']);
    expect(stepsOf(furrow, '- odd ...\n', 'odd ...\nodd one\n').map(({ line }) => line)).to.deep.equal(['odd ...']);
  });

  it('name what may be meant where nothing fits', () => {
    const missed = (lines: string) => lookAtErrand(furrow, lines, running).missed;
    expect(missed('- alert to 10.77.0.8\n')).to.deep.equal([
      { above: [], line: 'alert to 10.77.0.8', near: ['alert to 10.77.0.8 word hush-hush'] },
    ]);
    expect(missed('- nmae har-acc-7\n')[0]?.near).to.deep.equal(['name har-acc-7']);
    expect(missed('- journal to 10.77.0.5\n')[0]?.near).to.deep.equal([]);
    expect(missed('- alert to 10.99.0.1 ...\n')[0]?.near).to.deep.equal([]);
  });

  it('give a block these lines and no others', () => {
    expect(told('exactly socket 1/2\n  about "desk"\n  state live\n')).to.deep.equal([
      '- socket 1/2 > lane 316',
      '= socket 1/2 > about "desk"',
      '+ socket 1/2 > state live for state still',
    ]);
    expect(told('exactly lane 500\n')).to.deep.equal(['+ lane 500']);
  });

  it('take away what a file says, wherever it stands; a block goes when nothing is left in it', () => {
    const away = { away: true };
    expect(told('greeting\n  | one line\n', running, away)).to.deep.equal(['- greeting > | one line']);
    expect(told('greeting\n  | one line\n  | another\nlane 410\nlane 999\n', running, away)).to.deep.equal([
      '- greeting > | one line',
      '- greeting > | another',
      '- greeting',
      '- lane 410',
      '= lane 999',
    ]);
  });

  it('find nothing to do a second time, whatever they are', () => {
    const line = fc.constantFrom(
      'lane 410',
      '- lane 410',
      'lane 430',
      '- lane ...',
      '- greeting',
      'greeting\n  | new',
      'exactly greeting\n  | only',
      'socket 1/2\n  lane 304',
      'socket 1/2\n  - lane ...',
      'name other',
      '- ~ alert .*',
      '- socket 1/2',
    );
    fc.assert(
      fc.property(fc.array(line, { minLength: 1, maxLength: 6 }), (all) => {
        const lines = `${all.join('\n')}\n`;
        const after = then(lines);
        const text = (nodes: ReturnType<typeof then>, indent = ''): string =>
          nodes.map((one) => `${indent}${one.text}\n${text(one.children, `${indent}  `)}`).join('');
        expect(stepsOf(furrow, lines, text(after)).filter(({ right }) => !right)).to.deep.equal([]);
      }),
      { numRuns: 300 },
    );
  });

  it('go the same way in the other dialects', () => {
    const steps = stepsOf(
      quill,
      '- clock / server ...\nclock / server 10.77.0.9\n',
      'clock [\n  server 10.77.0.5\n]\n',
    );
    expect(steps.map(({ away, above, line }) => [away, ...above, line].join(' '))).to.deep.equal([
      'true clock server 10.77.0.5',
      'false clock server 10.77.0.9',
    ]);
  });

  it('do not contradict one another unnoticed', () => {
    expect(contradiction(furrow, 'name a\nname b\n')).to.deep.equal(['name a', 'name b']);
    expect(contradiction(furrow, 'exactly socket 1/1\n  lane 3\n  lane 4\n')).to.deep.equal(['lane 3', 'lane 4']);
    expect(contradiction(furrow, 'name a\n- name b\n')).to.equal(undefined);
  });
});

describe('what is odd about the lines of an errand', () => {
  const odd = (lines: string) => errandWarnings(furrow, lines, running);
  it('is nothing where they are well', () => {
    expect(
      odd('- alert to ...\nlane 3\n  title "x"\nsocket 1/3\n  lane 3\n- ~ lane 4.*\nexactly greeting\n  | x\n'),
    ).to.deep.equal([]);
  });
  it('is a first word that nobody knows, with the one that is meant', () => {
    expect(odd('jurnal to 10.77.0.7\n')).to.deep.equal([
      'line 1: no line of Furrow that is known here begins with "jurnal"; did you mean "journal"?',
    ]);
  });
  it('is a deeper line below one that opens no block', () => {
    expect(odd('journal to 10.77.0.7\n  journal to 10.77.0.8\n')).to.deep.equal([
      'line 2: it stands deeper than "journal to 10.77.0.7", which opens no block that is known here: move it to the left',
    ]);
  });
  it('is an indentation that belongs to no block, and tabs among blanks', () => {
    expect(odd('socket 1/3\n    lane 3\n  state live\n')[0]).to.match(/^line 3: it is indented by 2/);
    expect(odd('socket 1/3\n\tlane 3\n  state live\n')[0]).to.match(/^line 3: tabs and blanks are mixed/);
  });
});
