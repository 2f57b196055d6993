/** Room in racks, against a naive model, in a race, and through every way in which it changes. */
import { expect } from 'chai';
import fc from 'fast-check';
import type { Client } from '@zpine/contract/client';
import { readOnly } from '../../service/store/transact.ts';
import { actor, refusal, testService, type TestBench } from '../service.ts';
import { runs } from '../../trials/runs.ts';

describe('racks', () => {
  let bench: TestBench;
  let client: Client;
  before(async () => {
    bench = await testService();
    client = bench.clients.engineer;
    await client.add('vendor', { name: 'larkfield' });
    for (const [name, heightU, depth, width] of [
      ['flat', 1, 'half', 'full'],
      ['deep', 2, 'full', 'full'],
      ['small', 1, 'half', 'half'],
      ['none', 0, 'half', 'full'],
    ] as const)
      await client.add('model', { vendor: 'larkfield', name, heightU, depth, width });
    await client.add('site', { code: 'ard' });
    await client.add('room', { site: 'ard', name: 'closet' });
    for (const name of ['w1', 'w2', 'w3']) await client.add('rack', { room: 'ard/closet', name, heightU: 12 });
    await client.add('rack', { room: 'ard/closet', name: 'top', heightU: 12, numbering: 'top' });
  });
  after(() => bench.stop());

  let made = 0;
  const place = (more: object) =>
    client.add('device', { name: `d-${(made += 1)}`, model: 'larkfield/flat', rack: 'ard/closet/w1', ...more });
  const wrong = async (call: Promise<unknown>) => {
    const { code, errors } = await refusal(call);
    return `${code} ${errors?.[0]?.pointer ?? ''}`;
  };
  const slots = (rack: string) =>
    readOnly(bench.store, actor, (tx) =>
      tx.select<{ u: number; face: string; half: string; kind: string; record_id: number }>(
        'SELECT s.u, s.face, s.half, s.kind, s.record_id FROM rack_slot s JOIN rack r ON r.id = s.rack_id WHERE r.natural_key = ? ORDER BY u, face, half',
        [rack],
      ),
    );

  it('have room for one thing at a place, and say who has it', async () => {
    await place({ name: 'first', positionU: 3 });
    const { detail } = await refusal(place({ positionU: 3 }));
    expect(detail).to.equal('U 3 of ard/closet/w1 is taken by device first');
    expect(await wrong(place({ positionU: 13 }))).to.equal('position-outside /positionU');
    expect(await wrong(place({ positionU: 12, model: 'larkfield/deep' }))).to.equal('position-outside /positionU');
    await place({ name: 'behind', positionU: 3, face: 'rear' });
  });

  it('are taken on both faces by what is deep, and by a neighbour’s second half', async () => {
    expect(await wrong(place({ positionU: 2, model: 'larkfield/deep' }))).to.equal('position-taken /positionU');
    await place({ name: 'deep', positionU: 5, model: 'larkfield/deep' });
    expect(await wrong(place({ positionU: 6, face: 'rear' }))).to.equal('position-taken /positionU');
    await place({ name: 'left', positionU: 8, model: 'larkfield/small' });
    await place({ name: 'right', positionU: 8, model: 'larkfield/small', side: 'right' });
    expect(await wrong(place({ positionU: 8, model: 'larkfield/small', side: 'right' }))).to.equal(
      'position-taken /positionU',
    );
    expect(await wrong(place({ positionU: 8 }))).to.equal('position-taken /positionU');
  });

  it('are numbered from the top where they say so', async () => {
    await place({ name: 'upper', rack: 'ard/closet/top', positionU: 1, model: 'larkfield/deep' });
    expect((await slots('ard/closet/top')).map((slot) => slot.u)).to.deep.equal([11, 11, 11, 11, 12, 12, 12, 12]);
    expect((await refusal(place({ rack: 'ard/closet/top', positionU: 2 }))).detail).to.contain(
      'U 2 of ard/closet/top is taken by device upper',
    );
  });

  it('keep U for what is to come, and cover what is bare', async () => {
    const rack = 'ard/closet/w1';
    await client.add('filler', {
      rack,
      positionU: 10,
      form: 'reserved',
      heightU: 2,
      description: 'camera recorder, spring',
    });
    expect((await refusal(place({ positionU: 11 }))).detail).to.equal(
      'U 11 of ard/closet/w1 is taken by filler ard/closet/w1/10/front',
    );
    expect(await wrong(client.add('filler', { rack, positionU: 9, heightU: 2 }))).to.equal('position-taken /positionU');
    expect(await wrong(client.add('filler', { rack, positionU: 12, heightU: 2 }))).to.equal(
      'position-outside /positionU',
    );
    await client.edit('filler', `${rack}/10/front`, { heightU: 1 });
    await place({ name: 'after-all', positionU: 11 });
  });

  it('let things change places in one change, and only as a whole', async () => {
    const where = async (name: string) => (await client.show('device', name)).positionU;
    const text = 'name,positionU\nfirst,11\nafter-all,3\n';
    const done = await client.call('import.run', { body: { kind: 'device', text, apply: true } });
    expect(done.faults).to.deep.equal([]);
    expect([await where('first'), await where('after-all')]).to.deep.equal([11, 3]);
    const clash = 'name,positionU\nfirst,1\nafter-all,1\n';
    const seen = await client.call('import.run', { body: { kind: 'device', text: clash } });
    expect(seen.faults.map((f) => f.code)).to.deep.equal(['position-taken']);
  });

  it('hold what stands in them when they or a model get another shape', async () => {
    expect((await refusal(client.edit('rack', 'ard/closet/w1', { heightU: 10 }))).code).to.equal('position-lost');
    expect((await refusal(client.edit('model', 'larkfield/small', { width: 'full' }))).code).to.equal('position-clash');
    await client.edit('rack', 'ard/closet/top', { numbering: 'bottom' });
    expect((await slots('ard/closet/top')).map((slot) => slot.u)).to.deep.equal([1, 1, 1, 1, 2, 2, 2, 2]);
    await client.edit('model', 'larkfield/deep', { heightU: 3 });
    expect((await slots('ard/closet/top')).map((slot) => slot.u)).to.include(3);
    await client.edit('model', 'larkfield/deep', { heightU: 2 });
  });

  it('are drawn with everything in them, and what is free', async () => {
    const seen = await client.call('rack.drawing', { params: { ref: 'ard/closet/w1' } });
    expect(seen.items.map((item) => `${item.positionU} ${item.face} ${item.words}`)).to.include.members([
      '11 front first',
      '10 front camera recorder, spring',
      '3 rear behind',
    ]);
    expect(seen.free).to.deep.equal([
      { from: 1, to: 2 },
      { from: 4, to: 4 },
      { from: 7, to: 7 },
      { from: 9, to: 9 },
      { from: 12, to: 12 },
    ]);
    expect(seen).to.include({ freeU: 6, reservedU: 1 });
  });

  it('have one winner when fifty want the same U', async () => {
    const tries = await Promise.allSettled(
      Array.from({ length: 50 }, (_, i) => place({ name: `race-${i}`, rack: 'ard/closet/w2', positionU: 6 })),
    );
    expect(tries.filter((one) => one.status === 'fulfilled')).to.have.length(1);
    for (const one of tries) {
      if (one.status === 'fulfilled') continue;
      const { problem } = one.reason as { problem: { code: string; errors: { pointer: string }[] } };
      expect(problem.code).to.be.oneOf(['position-taken', 'position-raced']);
      expect(problem.errors[0]?.pointer).to.equal('/positionU');
    }
    expect(await slots('ard/closet/w2')).to.have.length(2);
  });

  it('give room back when something is moved, removed, or taken back', async () => {
    const device = await place({ name: 'mover', rack: 'ard/closet/w2', positionU: 1, model: 'larkfield/deep' });
    await client.edit('device', 'mover', { positionU: 2 });
    await place({ name: 'below', rack: 'ard/closet/w2', positionU: 1 });
    await client.remove('device', 'below');
    await client.edit('device', 'mover', { rack: null });
    expect((await slots('ard/closet/w2')).filter((slot) => slot.record_id === device.id)).to.deep.equal([]);
    const { items } = await client.call('history.list', { query: { limit: '1' } });
    await client.call('history.undo', { params: { id: String(items[0]?.id) }, body: {} });
    expect((await slots('ard/closet/w2')).filter((slot) => slot.record_id === device.id)).to.have.length(8);
  });

  it('are as full as a naive model says, whatever is done to them', async function () {
    this.timeout(60_000);
    const rack = 'ard/closet/w3';
    interface Thing {
      name: string;
      u: number;
      h: number;
      faces: string[];
      halves: string[];
    }
    const models = {
      flat: { h: 1, deep: false, half: false },
      deep: { h: 2, deep: true, half: false },
      small: { h: 1, deep: false, half: true },
      none: { h: 0, deep: false, half: false },
    } as const;
    const step = fc.record({
      verb: fc.constantFrom('add', 'add', 'move', 'remove'),
      model: fc.constantFrom(...(Object.keys(models) as (keyof typeof models)[])),
      u: fc.integer({ min: 1, max: 13 }),
      face: fc.constantFrom('front', 'rear'),
      side: fc.constantFrom('left', 'right'),
      which: fc.nat(20),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 14 }), async (steps) => {
        const things: Thing[] = [];
        const held = (thing: Thing, but?: string) =>
          things.some(
            (other) =>
              other.name !== but &&
              other.h * thing.h > 0 &&
              other.u < thing.u + thing.h &&
              thing.u < other.u + other.h &&
              other.faces.some((face) => thing.faces.includes(face)) &&
              other.halves.some((half) => thing.halves.includes(half)),
          );
        for (const { verb, model, u, face, side, which } of steps) {
          const { h, deep, half } = models[model];
          const chosen = things[which % Math.max(1, things.length)];
          const name = verb === 'move' && chosen ? chosen.name : `p-${(made += 1)}`;
          const thing = {
            name,
            u,
            h,
            faces: deep ? ['front', 'rear'] : [face],
            halves: half ? [side] : ['left', 'right'],
          };
          const may = u + Math.max(1, h) - 1 <= 12 && !held(thing, name);
          const fields = { model: `larkfield/${model}`, rack, positionU: u, face, side };
          if (verb === 'remove') {
            if (!chosen) continue;
            await client.remove('device', chosen.name);
            things.splice(things.indexOf(chosen), 1);
            continue;
          }
          const call =
            verb === 'move' && chosen ? client.edit('device', name, fields) : client.add('device', { name, ...fields });
          const why = await call.then(
            () => undefined,
            (error: Error) => error.message,
          );
          expect(why === undefined, JSON.stringify({ why, thing, things })).to.equal(may);
          if (why !== undefined) continue;
          if (verb === 'move' && chosen) things.splice(things.indexOf(chosen), 1);
          things.push(thing);
        }
        const room = things.reduce((sum, one) => sum + one.h * one.faces.length * one.halves.length, 0);
        expect(await slots(rack)).to.have.length(room);
        for (const { name } of things) await client.remove('device', name);
        expect(await slots(rack)).to.deep.equal([]);
      }),
      { numRuns: runs(10, 25) },
    );
  });
});
