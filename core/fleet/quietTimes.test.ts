import { expect } from 'chai';
import { mustParse } from '../fault.ts';
import { isQuiet, parseQuietTime } from './quietTimes.ts';

const quiet = (text: string, at: string, zone?: string) =>
  isQuiet([mustParse(parseQuietTime(text))], new Date(at), zone);

describe('quiet times', () => {
  it('are every day, over midnight too', () => {
    expect(quiet('daily 01:00-02:00', '2026-11-27T01:00:00Z')).to.equal(true);
    expect(quiet('daily 01:00-02:00', '2026-11-27T02:00:00Z')).to.equal(false);
    expect(quiet('daily 22:00-06:00', '2026-11-27T23:59:00Z')).to.equal(true);
    expect(quiet('daily 22:00-06:00', '2026-11-27T05:59:00Z')).to.equal(true);
    expect(quiet('daily 22:00-06:00', '2026-11-27T12:00:00Z')).to.equal(false);
  });

  it('are on days of the week, and a night belongs to the day on which it began', () => {
    // 28 November 2026 is a Saturday.
    expect(quiet('sat 20:00-04:00', '2026-11-28T21:00:00Z')).to.equal(true);
    expect(quiet('sat 20:00-04:00', '2026-11-29T03:00:00Z')).to.equal(true);
    expect(quiet('sat 20:00-04:00', '2026-11-28T03:00:00Z')).to.equal(false);
    expect(quiet('mon,tue 01:00-02:00', '2026-12-01T01:30:00Z')).to.equal(true);
    expect(quiet('mon,tue 01:00-02:00', '2026-12-02T01:30:00Z')).to.equal(false);
  });

  it('are once, as an interval of ISO 8601', () => {
    const once = '2026-12-01T20:00/2026-12-02T04:00';
    expect(quiet(once, '2026-12-01T20:00:00Z')).to.equal(true);
    expect(quiet(once, '2026-12-02T04:00:00Z')).to.equal(false);
    expect(quiet('2026-12-01T20:00+01:00/2026-12-02T04:00+01:00', '2026-12-01T19:30:00Z')).to.equal(true);
  });

  it('go by the clock of the place', () => {
    // In July, London is an hour ahead of UTC.
    expect(quiet('daily 22:00-23:00', '2026-07-01T21:30:00Z', 'Europe/London')).to.equal(true);
    expect(quiet('daily 22:00-23:00', '2026-07-01T21:30:00Z')).to.equal(false);
  });

  it('are refused where nobody knows what they mean', () => {
    for (const text of [
      '',
      'daily',
      'daily 22:00',
      'noday 01:00-02:00',
      'daily 25:00-26:00',
      'daily 01:00-01:00',
      '2026-12-02T04:00/2026-12-01T20:00',
      '2026-12-01/',
    ])
      expect(parseQuietTime(text).ok, text).to.equal(false);
  });
});
