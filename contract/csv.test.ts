import { expect } from 'chai';
import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { neutral, untick } from './cells.ts';
import { cellsToCsv } from './csv.ts';

const cell = fc.oneof(
  fc.string({ maxLength: 12 }),
  fc.string({
    unit: fc.constantFrom("'", '=', '+', '-', '@', '\t', '\r', '\n', '"', ',', '1', '.', 'a', ' ', 'å'),
    maxLength: 8,
  }),
);

describe('tables as CSV', () => {
  it('come back cell by cell as they were, by any reader of RFC 4180', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(cell, cell, cell), { maxLength: 5 }), (rows) => {
        const read = parse(cellsToCsv(['a', 'b', 'c'], rows), { record_delimiter: '\r\n' });
        expect(read.slice(1).map((row) => row.map(untick))).to.deep.equal(rows);
      }),
    );
  });
  it('are not torn apart at line ends inside of cells, whatever reads them', () => {
    const text = cellsToCsv(['note'], [['1 Harbour Road\nBrackwater'], ['a\rb']]);
    expect(text).to.equal('note\r\n"1 Harbour Road\nBrackwater"\r\n"a\rb"\r\n');
    // Even a reader that takes any line end for the end of a row.
    expect(parse(text, { record_delimiter: ['\r\n', '\n', '\r'] })).to.have.length(3);
  });
  const cases: [string, string][] = [
    ['=1+1', "'=1+1"],
    ['+47 22 00 00 00', "'+47 22 00 00 00"],
    ['@home', "'@home"],
    ['-5', '-5'],
    ['+5.25', '+5.25'],
    ['-5+x', "'-5+x"],
    ["'=x", "''=x"],
    ["''-", "'''-"],
    ["'quay", "'quay"],
    ['\t=x', "'\t=x"],
    ['plain', 'plain'],
  ];
  for (const [text, safe] of cases)
    it(`write ${JSON.stringify(text)} as ${JSON.stringify(safe)}, and read it back`, () => {
      expect(neutral(text)).to.equal(safe);
      expect(untick(safe)).to.equal(text);
    });
});
