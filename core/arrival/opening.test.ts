import { expect } from 'chai';
import { openingAt } from './opening.ts';

const at = (text: string, now: string, zone: string): string => {
  const read = openingAt(text, Date.parse(now), zone);
  return read.ok ? new Date(read.value).toISOString() : read.fault.code;
};

describe('when a window opens', () => {
  for (const [text, now, zone, moment] of [
    ['22:00', '2026-12-02T18:00:00Z', 'UTC', '2026-12-02T22:00:00.000Z'],
    ['22:00', '2026-12-02T22:30:00Z', 'UTC', '2026-12-03T22:00:00.000Z'],
    ['22:00', '2026-12-02T18:00:00Z', 'Europe/Oslo', '2026-12-02T21:00:00.000Z'],
    ['00:30', '2026-12-02T23:10:00Z', 'Europe/Oslo', '2026-12-02T23:30:00.000Z'],
    ['2026-07-04 22:00', '2026-12-02T18:00:00Z', 'Europe/Oslo', '2026-07-04T20:00:00.000Z'],
    ['2026-12-04T22:00:00+02:00', '2026-12-02T18:00:00Z', 'UTC', '2026-12-04T20:00:00.000Z'],
    // The night in which clocks are set forward from 02:00 to 03:00, and the one in which they are set back.
    ['2026-03-29 02:30', '2026-03-01T00:00:00Z', 'Europe/Oslo', '2026-03-29T01:30:00.000Z'],
    ['2026-10-25 03:30', '2026-03-01T00:00:00Z', 'Europe/Oslo', '2026-10-25T02:30:00.000Z'],
    ['2026-02-30 22:00', '2026-01-01T00:00:00Z', 'UTC', 'opening-time'],
    ['24:00', '2026-01-01T00:00:00Z', 'UTC', 'opening-time'],
    ['tonight', '2026-01-01T00:00:00Z', 'UTC', 'opening-time'],
  ] as const)
    it(`"${text}" at ${now} in ${zone} is ${moment}`, () => {
      expect(at(text, now, zone)).to.equal(moment);
    });
});
