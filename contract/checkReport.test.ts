import { expect } from 'chai';
import { fewOf, foundAlike } from './checkFolding.ts';
import { reportHtml, reportSentence } from './checkReport.ts';
import type { CheckCounts } from './checkShapes.ts';

const counts = (more: Partial<CheckCounts>): CheckCounts => ({
  check: 'kept',
  title: 'Keeps',
  severity: 'attention',
  where: '',
  hour: null,
  devices: 2,
  holds: 2,
  broken: 0,
  unknown: 0,
  excepted: 0,
  unjudged: 0,
  judgedAt: null,
  fault: null,
  ...more,
});

describe('the report of checks', () => {
  it('takes nothing for holding that is excepted, never judged, or for nobody', () => {
    expect(reportSentence({ counts: [] })).to.equal('There are no checks.');
    expect(reportSentence({ counts: [counts({})] })).to.equal('1 of 1 check holds on every device that they are for.');
    expect(
      reportSentence({
        counts: [
          counts({ holds: 1, broken: 1 }),
          counts({ holds: 1, unjudged: 1 }),
          counts({ holds: 1, excepted: 1 }),
          counts({ devices: 0, holds: 0 }),
          counts({ devices: 0, holds: 0, fault: 'there is no site "gul"' }),
        ],
      }),
    ).to.equal(
      '0 of 5 checks hold on every device that they are for, 1 does not on some, 1 is not known everywhere, 1 holds but for exceptions, 2 are for no device.',
    );
  });

  it('says what is the same of many devices once', () => {
    const one = (device: string, finding: string) => ({
      check: 'kept',
      device,
      state: 'broken' as const,
      findings: [finding],
      why: '',
    });
    expect(
      foundAlike([one('a', 'x'), one('b', 'y'), one('c', 'x')]).map(({ first, devices }) => [
        first.findings[0],
        devices,
      ]),
    ).to.deep.equal([
      ['x', ['a', 'c']],
      ['y', ['b']],
    ]);
    expect(fewOf(['a', 'b', 'c', 'd', 'e'])).to.equal('a, b, c and 2 more');
    expect(fewOf(['a', 'b', 'c', 'd'])).to.equal('a, b, c, d');
  });

  it('is text where somebody else wrote it, and no HTML', () => {
    const html = reportHtml({ counts: [counts({ title: '<b>"x"&' })], results: [], at: '', where: '<i>', more: false });
    expect(html).to.contain('&lt;b&gt;&quot;x&quot;&amp;').and.contain('&lt;i&gt;').and.not.contain('<b>"x"');
  });
});
