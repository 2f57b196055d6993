import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { liesBy, perDevice } from './commandLists.ts';
import { looked, usualDamping, type Watched } from './damping.ts';
import { expectationsFrom } from './expectations.ts';
import { groupsOf, groupWords } from './groups.ts';
import { FEW, mayTry, newGuard, endTry, beginTry } from './loginGuard.ts';
import { blockingRung, ladder } from './rungs.ts';

describe('lists of lines by device', () => {
  it('go by columns of unequal length, and by rows', () => {
    const columns = perDevice(
      [
        ['a', 'b', ''],
        ['x', 'y'],
        ['', ' z'],
      ],
      'columns',
    );
    expect(columns.ok && [...columns.value]).to.deep.equal([
      ['a', ['x']],
      ['b', ['y', ' z']],
    ]);
    const rows = perDevice(
      [
        ['a', 'x', '', 'y'],
        ['b', 'z'],
      ],
      'rows',
    );
    expect(rows.ok && [...rows.value]).to.deep.equal([
      ['a', ['x', 'y']],
      ['b', ['z']],
    ]);
  });
  it('name the cell that belongs to nobody, and refuse cells of several lines', () => {
    const lost = perDevice(
      [
        ['a', ''],
        ['x', 'y'],
      ],
      'columns',
    );
    expect(lost).to.deep.equal({
      ok: false,
      fault: { code: 'list-device-missing', params: { row: 2, column: 2, line: 'y' } },
    });
    const broken = perDevice([['a'], ['x\ny']], 'columns');
    expect(broken.ok).to.equal(false);
    expect(perDevice([], 'rows').ok).to.equal(false);
  });
  it('are seen to lie by columns or by rows from where devices are named', () => {
    const is = (name: string) => ['a', 'b', 'c'].includes(name);
    expect(
      liesBy(
        [
          ['a', 'b', 'c'],
          ['x', 'y', 'z'],
        ],
        is,
      ),
    ).to.equal('columns');
    expect(
      liesBy(
        [
          ['a', 'x'],
          ['b', 'y'],
        ],
        is,
      ),
    ).to.equal('rows');
  });
});

describe('a login that nobody has let in', () => {
  it('is refused by three devices at most, whatever comes in which order', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('begin', 'refuse', 'lose'), { maxLength: 60 }), (steps) => {
        const guard = newGuard();
        let under = 0;
        let refused = 0;
        for (const step of steps) {
          if (step === 'begin') {
            if (mayTry(guard, 'x') !== 'now') continue;
            beginTry(guard, 'x');
            under += 1;
          } else if (under > 0) {
            under -= 1;
            if (step === 'refuse') refused += 1;
            endTry(guard, 'x', step === 'refuse' ? 'refused' : 'unknown');
          }
          expect(refused).to.be.at.most(FEW);
          expect(under + refused).to.be.at.most(FEW);
        }
        if (refused === FEW) expect(mayTry(guard, 'x')).to.equal('never');
      }),
    );
  });
  it('is free for all once it was right somewhere; another login is its own', () => {
    const guard = newGuard();
    beginTry(guard, 'x');
    beginTry(guard, 'x');
    beginTry(guard, 'x');
    expect(mayTry(guard, 'x')).to.equal('later');
    expect(mayTry(guard, 'y')).to.equal('now');
    endTry(guard, 'x', 'let-in');
    expect(mayTry(guard, 'x')).to.equal('now');
  });
});

describe('damping', () => {
  const at = (minute: number) => new Date(Date.UTC(2026, 4, 4, 10, minute)).toISOString();
  const through = (states: string[]) => {
    let watched: Watched | undefined;
    const told: string[] = [];
    for (const [i, state] of states.entries()) {
      const step = looked(watched, state, at(i));
      watched = step.watched;
      if (step.told) told.push(`${i} ${step.told.kind}`);
    }
    return { told, watched };
  };
  it('believes what it saw twice, and forgets what it saw once', () => {
    expect(through(['up', 'down', 'up', 'up']).told).to.deep.equal([]);
    expect(through(['up', 'down', 'down', 'down']).told).to.deep.equal(['2 changed']);
    expect(through(['up', 'down', 'off', 'down']).told).to.deep.equal([]);
  });
  it('tells of flapping once, and again when it has been quiet', () => {
    const flap = ['up', ...Array.from({ length: 12 }, (_, i) => (i % 4 < 2 ? 'down' : 'up'))];
    const { told, watched } = through(flap);
    expect(told).to.deep.equal(['2 changed', '4 changed', '6 changed', '8 flaps']);
    const quiet = looked(watched, watched?.state ?? '', at(13 + usualDamping.withinSeconds / 60));
    expect(quiet.told?.kind).to.equal('quiet');
    expect(quiet.watched.flapping).to.equal(false);
  });
  it('never tells more than four things of an hour', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('a', 'b'), { maxLength: 59 }), (states) => {
        expect(through(states).told.length).to.be.at.most(usualDamping.turns);
      }),
    );
  });
});

describe('answers', () => {
  it('that are alike stand together, the most first', () => {
    const groups = groupsOf([
      { device: 'a', digest: '1' },
      { device: 'b', digest: '2' },
      { device: 'c', digest: '2' },
    ]);
    expect(groups.map((group) => group.devices)).to.deep.equal([['b', 'c'], ['a']]);
    expect(groupWords(groups)).to.equal('2 alike, 1 differs');
    expect(groupWords(groupsOf([]))).to.equal('no answers');
  });
  it('miss what was expected of them', () => {
    const misses = expectationsFrom([
      { kind: 'has', text: 'a' },
      { kind: 'lacks', text: 'b' },
      { kind: 'matches', text: '^c+$' },
    ]);
    expect(misses('a\nccc  \n')).to.deep.equal([]);
    expect(misses('b\nd').map((one) => one.kind)).to.deep.equal(['has', 'lacks', 'matches']);
    expect(() => expectationsFrom([{ kind: 'matches', text: '(' }])).to.throw();
  });
});

describe('a ladder', () => {
  it('has all rungs, and one that is in the way', () => {
    const found = [
      { rung: 'name' as const, state: 'holds' as const, detail: '', ms: 0 },
      { rung: 'answers' as const, state: 'gives' as const, detail: 'nothing', ms: 3 },
    ];
    expect(ladder(found).map(({ state }) => state)).to.deep.equal([
      'holds',
      'gives',
      ...Array.from({ length: 6 }, () => 'not tried'),
    ]);
    expect(blockingRung(found)?.rung).to.equal('answers');
  });
});
