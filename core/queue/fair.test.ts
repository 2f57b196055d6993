import { expect } from 'chai';
import fc from 'fast-check';
import { FairQueue, type FairBounds } from './fair.ts';
import { Tally } from './tally.ts';

const bounds: FairBounds = { running: 4, runningPerLane: 2, waiting: 40, waitingPerLane: 15 };

describe('a fair queue', () => {
  it('gives each lane its turn, however much another has waiting', () => {
    const queue = new FairQueue<string>({ ...bounds, running: 1 });
    for (let i = 0; i < 10; i += 1) queue.offer('flood', `m${i}`, `flood ${i}`);
    queue.offer('other', 'm', 'other');
    const order: string[] = [];
    for (let taken = queue.take(); taken && order.length < 3; taken = queue.take()) {
      order.push(taken.work);
      queue.done(taken.lane);
    }
    expect(order).to.deep.equal(['flood 0', 'other', 'flood 1']);
  });

  it('leaves room for others beside a lane whose work takes long', () => {
    const queue = new FairQueue<string>(bounds);
    for (let i = 0; i < 10; i += 1) queue.offer('busy', `m${i}`, 'busy');
    queue.offer('other', 'm', 'other');
    const taken = [queue.take(), queue.take(), queue.take(), queue.take()].map((one) => one?.work);
    expect(taken.filter((work) => work === 'busy')).to.have.length(2);
    expect(taken).to.include('other');
  });

  it('keeps the newest of what a client asks', () => {
    const queue = new FairQueue<string>(bounds);
    queue.offer('lane', 'm', 'first');
    queue.offer('lane', 'm', 'second');
    expect(queue.take()?.work).to.equal('second');
    expect(queue.take()).to.equal(undefined);
    expect(queue.replaced).to.equal(1);
  });

  it('makes room by what has waited longest in the longest lane', () => {
    const queue = new FairQueue<string>({ ...bounds, waiting: 3 });
    for (const n of [1, 2, 3]) queue.offer('long', `m${n}`, `long ${n}`);
    expect(queue.offer('new', 'm', 'new')).to.equal(true);
    const works: string[] = [];
    for (let taken = queue.take(); taken; taken = queue.take()) {
      works.push(taken.work);
      queue.done(taken.lane);
    }
    expect(works.sort()).to.deep.equal(['long 2', 'long 3', 'new']);
    expect(queue.dropped).to.equal(1);
  });

  it('holds its bounds, loses nothing it does not count, and ends empty', () => {
    const lanes = fc.constantFrom('a', 'b', 'c', 'd', 'e');
    const action = fc.oneof(
      { weight: 6, arbitrary: fc.record({ do: fc.constant('offer' as const), lane: lanes, client: fc.nat(30) }) },
      { weight: 3, arbitrary: fc.record({ do: fc.constant('take' as const) }) },
      { weight: 2, arbitrary: fc.record({ do: fc.constant('done' as const) }) },
    );
    fc.assert(
      fc.property(fc.array(action, { maxLength: 300 }), (actions) => {
        const queue = new FairQueue<number>({ running: 4, runningPerLane: 2, waiting: 12, waitingPerLane: 5 });
        const running: string[] = [];
        let [offered, taken] = [0, 0];
        for (const one of actions) {
          if (one.do === 'offer') queue.offer(one.lane, String(one.client), (offered += 1));
          else if (one.do === 'take') {
            const next = queue.take();
            if (next) {
              taken += 1;
              running.push(next.lane);
            }
          } else {
            const lane = running.shift();
            if (lane !== undefined) queue.done(lane);
          }
          expect(running.length).to.be.at.most(4);
          for (const lane of running) expect(running.filter((l) => l === lane).length).to.be.at.most(2);
          const waiting = offered - taken - queue.dropped - queue.replaced;
          expect(waiting).to.be.within(0, 12);
        }
        for (const lane of running) queue.done(lane);
        for (let next = queue.take(); next; next = queue.take()) {
          taken += 1;
          queue.done(next.lane);
        }
        expect(queue.idle).to.equal(true);
        expect(taken + queue.dropped + queue.replaced).to.equal(offered);
      }),
    );
  });
});

describe('a tally', () => {
  it('tells the first at once, and counts what follows', () => {
    const tally = new Tally(2);
    expect([tally.note('a', 'x'), tally.note('a', 'x'), tally.note('b', 'x'), tally.note('c', 'x')]).to.deep.equal([
      true,
      false,
      true,
      false,
    ]);
    expect(tally.collect()).to.deep.equal([
      { from: 'a', what: 'x', times: 1 },
      { from: '', what: 'from many other places', times: 1 },
    ]);
    expect(tally.collect()).to.deep.equal([]);
    expect(tally.note('a', 'x')).to.equal(true);
  });
});
