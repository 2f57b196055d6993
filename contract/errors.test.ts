import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { errors, pointerOf, problemOf, Refusal, type ErrorCode, type ErrorRow } from './errors.ts';

describe('the error table', () => {
  const page = readFileSync('docs/errors.md', 'utf8');
  for (const [code, entry] of Object.entries(errors) as [ErrorCode, ErrorRow][]) {
    it(`${code} has a status, words, and a place in the documentation`, () => {
      expect(entry.status).to.be.within(400, 599);
      expect(entry.detail({})).to.be.a('string').and.not.equal('');
      expect(page).to.include(`\`${code}\``);
    });
  }

  it('has no documented code that does not exist', () => {
    const documented = [...page.matchAll(/^\| `([a-z-]+)`/gm)].map((m) => m[1]);
    expect(documented.filter((code) => !(String(code) in errors))).to.deep.equal([]);
  });

  it('makes problem details with a pointer for every fault', () => {
    const problem = problemOf(
      Refusal.of([{ path: [2, 'a/b~c'], code: 'ref-unknown', params: { kind: 'site', ref: 'ARDL', meant: 'ard' } }]),
    );
    expect(problem).to.deep.include({
      status: 422,
      code: 'ref-unknown',
      detail: 'there is no site "ARDL"',
      remedy: 'did you mean ard?',
    });
    expect(problem.errors?.[0]).to.deep.include({ pointer: '/2/a~1b~0c', code: 'ref-unknown' });
    expect(pointerOf([])).to.equal('');
  });
});
