import { expect } from 'chai';
import fc from 'fast-check';
import { byTrouble, standingOf, standings, usualOf, type Member, type Moment } from './board.ts';

const MINUTE = 60_000;
const now = 100 * MINUTE;
const booting = (minutes: number): NonNullable<Member['arrival']> => ({
  poweredAt: now - minutes * MINUTE,
  servedAt: null,
  stuck: false,
  open: true,
});
const member = (over: Partial<Member> = {}): Member => ({
  turn: 'in',
  serves: false,
  unready: null,
  arrival: null,
  ...over,
});
const open: Moment = { window: 'open', now, usual: undefined };

describe('how the devices of a batch stand', () => {
  const cases: [string, Member, Moment][] = [
    ['waits', member(), { ...open, window: 'before' }],
    ['not heard', member(), open],
    ['not heard', member({ arrival: { ...booting(1), poweredAt: null } }), open],
    ['under way', member({ arrival: booting(1) }), open],
    ['under way', member({ arrival: booting(50) }), open],
    ['slow', member({ arrival: booting(5) }), { ...open, usual: 100 }],
    ['under way', member({ arrival: booting(3) }), { ...open, usual: 100 }],
    ['under way', member({ arrival: booting(0.9) }), { ...open, usual: 1 }],
    ['stuck', member({ arrival: { ...booting(1), stuck: true } }), open],
    ['not served', member({ arrival: { ...booting(1), stuck: true } }), { ...open, window: 'over' }],
    ['not served', member(), { ...open, window: 'over' }],
    [
      'serves',
      member({ serves: true, arrival: { ...booting(9), servedAt: now, open: false } }),
      { ...open, window: 'over' },
    ],
    // It served, and does not any more.
    ['stuck', member({ arrival: { ...booting(9), servedAt: now, open: false } }), open],
    ['not served', member({ arrival: { ...booting(9), servedAt: now, open: false } }), { ...open, window: 'over' }],
    ['serves', member({ serves: true }), { ...open, window: 'before' }],
    // One that boots anew does not serve, whatever was seen of it before.
    ['under way', member({ serves: true, arrival: booting(1) }), open],
    ['held', member({ turn: 'held', arrival: { ...booting(1), stuck: true } }), open],
    ['left out', member({ turn: 'left out', unready: 'it has no edition' }), { ...open, window: 'over' }],
    ['not ready', member({ unready: 'it has no edition' }), open],
  ];
  for (const [standing, of, at] of cases)
    it(`is "${standing}" for ${JSON.stringify({ ...of, window: at.window, usual: at.usual })}`, () => {
      expect(standingOf(of, at)).to.equal(standing);
    });

  it('puts trouble first, and what serves last', () => {
    expect([...standings].reverse().sort(byTrouble)).to.deep.equal([...standings]);
  });
});

describe('what is usual', () => {
  it('is not said before three were seen', () => {
    expect(usualOf([10, 20])).to.equal(undefined);
    expect(usualOf([30, 10, 20])).to.deep.equal({ usual: 20, most: 30 });
  });
  it('is one of those that were seen, and never above what most keep within', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 9999 }), { minLength: 3 }), (seconds) => {
        const found = usualOf(seconds);
        expect(seconds).to.include(found?.usual).and.to.include(found?.most);
        expect(found?.usual).to.be.at.most(found?.most ?? 0);
      }),
    );
  });
});
