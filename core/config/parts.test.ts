import { expect } from 'chai';
import { dialectFrom } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { partOf } from './parts.ts';

const dialect = dialectFrom(
  'try',
  dialectSheet.parse({ title: 'Try', prompt: '^x$', reads: ['^print'], running: 'print', blocks: 'indent' }),
);
const text = ['lane 30', '  title "a"', 'lane 304', '  title "b"', 'socket 1/1', '  lane 304', '  state live', ''].join(
  '\n',
);

describe('a part of a configuration', () => {
  const part = (wanted: Parameters<typeof partOf>[2]) => partOf(dialect, text, wanted).split('\n');

  it('is all that stands below lines that begin so, by whole words', () => {
    expect(part({ part: 'lane 30' })).to.deep.equal(['lane 30', '  title "a"']);
    expect(part({ part: 'Lane' })).to.deep.equal([
      'lane 30',
      '  title "a"',
      'lane 304',
      '  title "b"',
      'socket 1/1',
      '  lane 304',
    ]);
    expect(part({ part: 'socket 1/1 / state' })).to.deep.equal(['socket 1/1', '  state live']);
  });

  it('is lines that fit a pattern, with the blocks they stand in', () => {
    expect(part({ lines: 'title' })).to.deep.equal(['lane 30', '  title "a"', 'lane 304', '  title "b"']);
    expect(part({ part: 'socket', lines: '^state' })).to.deep.equal(['socket 1/1', '  state live']);
  });

  it('is nothing where nothing fits', () => {
    expect(part({ part: 'nowhere' })).to.deep.equal(['']);
  });
});
