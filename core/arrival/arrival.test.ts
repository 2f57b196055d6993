import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { type Arrival, type ArrivalEvent, expected, milestones, standardLimits, step, type Effect } from './arrival.ts';
import { milestoneWords } from './words.ts';
import { diagnosisCodes, diagnosisWords } from './diagnosis.ts';

/** Runs events one behind the other; gives the end and all effects. */
function run(events: ArrivalEvent[], from: Arrival = expected): { state: Arrival; effects: Effect[] } {
  const effects: Effect[] = [];
  let state = from;
  for (const event of events) {
    const done = step(state, event, standardLimits);
    state = done.state;
    effects.push(...done.effects);
  }
  return { state, effects };
}

const evidence = {};
const boot: ArrivalEvent[] = [
  { kind: 'discover', evidence },
  { kind: 'offered', evidence },
  { kind: 'request', evidence },
  { kind: 'leased', evidence },
  { kind: 'file-asked', evidence },
  { kind: 'file-complete', evidence },
];
const home: ArrivalEvent = { kind: 'called-home', rejected: [], evidence };
const proof: ArrivalEvent[] = [
  { kind: 'reached', evidence },
  { kind: 'matches', evidence },
  { kind: 'kept', evidence },
];
const refused: ArrivalEvent = { kind: 'not-reached', why: 'connect', detail: 'ECONNREFUSED' };

describe('arrivals', () => {
  it('reach every milestone in order, with the stages that go with them', () => {
    const { state, effects } = run([...boot, home, ...proof]);
    const reached = milestones.filter((stone) => stone !== 'image');
    expect(state).to.deep.equal({ phase: 'serving', reached, diagnosis: null });
    expect(
      effects.flatMap((e) => (e.kind === 'stage' ? [e.stage] : [])).filter((s, i, all) => s !== all[i - 1]),
    ).to.deep.equal(['arriving', 'proving', 'serving']);
    expect(effects.at(-1)).to.deep.equal({ kind: 'close-window' });
  });

  it('are not taken to have their file because of one beside it', () => {
    const further: ArrivalEvent = { kind: 'further-complete', evidence };
    const before = run([...boot.slice(0, -1), further]);
    expect(before.state.phase).to.equal('fetching');
    expect(before.state.reached).not.to.include('file complete');
    expect(run([{ kind: 'limit' }], before.state).state.diagnosis?.code).to.equal('file-incomplete');
    // Behind the first one it is only waited for.
    const behind = run([...boot, { kind: 'file-asked', evidence }, further]);
    expect(behind.state.phase).to.equal('living');
    expect(behind.effects.at(-1)).to.deep.equal({ kind: 'limit', seconds: standardLimits.life });
  });

  it('are looked at when they say something of themselves, and only then', () => {
    const sign: ArrivalEvent = { kind: 'sign', evidence: { by: 'log' } };
    const living = run([...boot, sign]);
    expect(living.state.phase).to.equal('proving');
    expect(living.effects.at(-1)).to.deep.equal({ kind: 'probe', seconds: 0 });
    expect(run([...boot.slice(0, 4), sign]).effects).to.deep.equal(run(boot.slice(0, 4)).effects);
    // Expected, and running already: brought to its edition by hand, it serves without a boot.
    const early = run([sign]);
    expect(early.effects).to.deep.equal([{ kind: 'probe', seconds: 0 }]);
    expect(run([sign, ...proof]).state.phase).to.equal('serving');
    // One that lets nobody in is what it was.
    expect(run([sign, refused, refused, refused, refused]).state).to.include({ phase: 'expected', diagnosis: null });
  });

  it('wait for an image, and take the restart with it for a part of the same boot', () => {
    const fetched: ArrivalEvent[] = [
      ...boot,
      { kind: 'image-asked', bytes: 200 * 1024 * 1024, evidence },
      { kind: 'image-complete', seconds: 300, evidence },
    ];
    const { state, effects } = run(fetched);
    // 200 MiB may take as long as a slow line needs for them.
    expect(effects.filter((e) => e.kind === 'limit').map((e) => e.kind === 'limit' && e.seconds)).to.include(6400);
    expect(effects.at(-1)).to.deep.equal({ kind: 'probe', seconds: standardLimits.probe });
    expect(step(state, { kind: 'limit' }, standardLimits).state.diagnosis?.code).to.equal('not-back');
    const again = run([...fetched, ...boot, home, ...proof]);
    expect(again.effects.map(({ kind }) => kind)).not.to.include('again');
    expect(again.state.reached).to.deep.equal([...milestones]);
    // Once it has come back, another beginning is another arrival.
    const third = run([...fetched, ...boot, { kind: 'discover', evidence, xid: 7 }]);
    expect(third.effects.at(-1)).to.deep.equal({ kind: 'again' });
    const other = run([...boot, home, { kind: 'reached', evidence }, { kind: 'image-differs', evidence }]);
    expect(other.state.diagnosis?.code).to.equal('wrong-image');
    expect(other.state.reached).not.to.include('matches');
  });

  it('take repeated packets and repeated file requests in their stride', () => {
    const again = boot.flatMap((event) => (event.kind === 'file-complete' ? [event] : [event, event]));
    expect(run(again).state.reached).to.deep.equal(run(boot).state.reached);
  });

  it('take the first SSH answer as a sign of life where nobody calls home', () => {
    const { state } = run([...boot, ...proof]);
    expect(state.phase).to.equal('serving');
    expect(state.reached).not.to.include('called home');
  });

  it('do not fall back when the end of the transfer is noted after the call home', () => {
    const late = run([...boot.slice(0, 5), home, boot[5] as ArrivalEvent]);
    expect(late.state.phase).to.equal('proving');
    expect(late.state.reached).to.include('file complete');
    expect(run([...boot.slice(0, 5), home, boot[5] as ArrivalEvent, ...proof]).state.phase).to.equal('serving');
    expect(run([...boot, home, ...proof, boot[4] as ArrivalEvent]).state.phase).to.equal('serving');
  });

  it('begin anew with another packet once the file is complete', () => {
    for (const far of [boot, [...boot, home], [...boot, home, ...proof]]) {
      const { effects } = step(run(far).state, { kind: 'discover', evidence }, standardLimits);
      expect(effects).to.deep.equal([{ kind: 'again' }]);
    }
  });

  const limits: [ArrivalEvent[], string | undefined][] = [
    [[], 'no-packet'],
    [boot.slice(0, 2), 'no-request'],
    [boot.slice(0, 4), 'no-file-request'],
    [boot.slice(0, 5), 'file-incomplete'],
    [boot, 'no-sign-of-life'],
    [[...boot, home, ...proof], undefined],
  ];
  for (const [far, code] of limits) {
    it(`know what is missing behind ${far.at(-1)?.kind ?? 'nothing'}: ${code ?? 'nothing'}`, () => {
      expect(run([...far, { kind: 'limit' }]).state.diagnosis?.code).to.equal(code);
    });
  }

  it('do not make a known reason less clear when its time runs out', () => {
    const far: ArrivalEvent[] = [
      ...boot.slice(0, 4),
      { kind: 'file-refused', evidence: { file: 'x', why: 'y' } },
      { kind: 'limit' },
    ];
    expect(run(far).state.diagnosis?.code).to.equal('file-refused');
  });

  it('forget what was wrong when it is over', () => {
    const late: ArrivalEvent[] = [{ kind: 'limit' }, ...boot];
    expect(run(late).state.diagnosis).to.equal(null);
    expect(run([...boot, { kind: 'limit' }, home, ...proof]).state.diagnosis).to.equal(null);
    const wrong: ArrivalEvent = { kind: 'not-reached', why: 'sign-in', detail: 'zpine was not let in' };
    expect(run([...boot, home, wrong]).state.diagnosis?.code).to.equal('ssh-refused');
    expect(run([...boot, home, wrong, ...proof]).state.diagnosis).to.equal(null);
  });

  it('are patient with a device that restarts, and not for ever', () => {
    expect(run([...boot, refused, refused, refused]).state.diagnosis).to.equal(null);
    expect(run([...boot, home, refused, refused, refused]).state.diagnosis?.code).to.equal('ssh-waiting');
    expect(run([...boot, home, refused, refused, refused, refused]).state.diagnosis?.code).to.equal('ssh-refused');
  });

  it('name rejected lines rather than the differences that come of them', () => {
    const rejected: ArrivalEvent = {
      kind: 'called-home',
      rejected: [{ line: 'socket 1/99', why: 'no such socket' }],
      evidence,
    };
    const { state } = run([
      ...boot,
      rejected,
      { kind: 'reached', evidence },
      { kind: 'differs', evidence: { lines: ['missing: socket 1/99'] } },
    ]);
    expect(state.diagnosis?.code).to.equal('line-rejected');
    expect(diagnosisWords(state.diagnosis ?? { code: 'differs', evidence: {} }).detail).to.contain(
      'socket 1/99 (no such socket)',
    );
    expect(state.reached).not.to.include('applied');
  });

  it('end with their window, unless they serve', () => {
    const closed = run([...boot, { kind: 'window-closed' }]);
    expect(closed.state.phase).to.equal('closed');
    expect(closed.effects).to.deep.include({ kind: 'stage', stage: 'prepared' });
    expect(run([{ kind: 'window-closed' }]).effects.some((e) => e.kind === 'stage')).to.equal(false);
    expect(run([...boot, home, ...proof, { kind: 'window-closed' }]).state.phase).to.equal('serving');
  });

  it('never lose a milestone, whatever comes in whatever order', () => {
    const any: ArrivalEvent[] = [
      ...boot,
      home,
      ...proof,
      refused,
      { kind: 'limit' },
      { kind: 'file-broken', evidence },
      { kind: 'differs', evidence },
      { kind: 'not-kept', evidence },
      { kind: 'wrong-box', evidence },
    ];
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...any), { maxLength: 40 }), (events) => {
        let state = expected;
        for (const event of events) {
          const next = step(state, event, standardLimits);
          expect(next.state.reached.slice(0, state.reached.length)).to.deep.equal(state.reached);
          expect(new Set(next.state.reached).size).to.equal(next.state.reached.length);
          if (next.state.phase === 'serving') expect(next.state.reached).to.include.members(['kept', 'serving']);
          state = next.state;
        }
      }),
    );
  });

  it('say in a line what the evidence of a milestone is', () => {
    const powered = {
      by: 'serial LF24-0188-01',
      relay: '10.77.16.1',
      circuit: 'ard-xr-1:cu2',
      mac: '00:00:5e:00:53:a1',
    };
    expect(milestoneWords('powered', powered)).to.equal(
      'known by serial LF24-0188-01, behind relay 10.77.16.1, port ard-xr-1:cu2',
    );
    expect(
      milestoneWords('called home', { from: '10.77.16.11', serial: 'x', digestMatches: false, rejected: 2 }),
    ).to.equal('from 10.77.16.11, serial x, its digest is not that of the edition, 2 lines turned down');
    expect(milestoneWords('matches', { lines: 50, elsewhere: 3 })).to.equal(
      '50 lines are right, 3 more are left alone',
    );
    for (const name of milestones) expect(milestoneWords(name, {}), name).not.to.match(/undefined|null/);
  });

  it('have words and a remedy for every diagnosis', () => {
    for (const code of diagnosisCodes) {
      const words = diagnosisWords({ code, evidence: {} });
      expect(words.title, code).not.to.equal('');
      expect(words.detail, code).not.to.match(/undefined/);
      expect(words.remedy, code).not.to.equal('');
    }
  });

  it('does not begin anew by a packet of the boot that is under way, which came late or twice', () => {
    const asked = (xid: number): ArrivalEvent => ({ kind: 'request', evidence: {}, xid });
    const boot: ArrivalEvent[] = [asked(7), { kind: 'leased', evidence: {} }, { kind: 'file-complete', evidence: {} }];
    const living = boot.reduce((state, event) => step(state, event, standardLimits).state, expected);
    expect(living.phase).to.equal('living');
    expect(step(living, asked(7), standardLimits)).to.deep.equal({ state: living, effects: [] });
    expect(step(living, asked(8), standardLimits).effects).to.deep.equal([{ kind: 'again' }]);
    expect(step(living, { kind: 'discover', evidence: {} }, standardLimits).effects).to.deep.equal([{ kind: 'again' }]);
  });
});
