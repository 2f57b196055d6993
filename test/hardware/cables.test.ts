/** Cables join ports that fit, each port one; they are followed through panels, and listed for those who plug them. */
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { refusal, testService, type TestBench } from '../service.ts';
import { faultsOf, makeHardware } from './bench.ts';

describe('cables', () => {
  let bench: TestBench;
  let client: Client;
  before(async () => {
    bench = await testService();
    client = bench.clients.engineer;
    await makeHardware(client);
    await client.add('room', { site: 'ard', name: 'closet' });
    await client.add('rack', { room: 'ard/closet', name: 'w1', heightU: 12 });
    let positionU = 1;
    for (const [name, model] of [
      ['acc-1', 'lf-6'],
      ['acc-2', 'lf-6'],
      ['pp-1', 'p-4'],
      ['pp-2', 'p-4'],
    ])
      await client.add('device', { name, model: `larkfield/${model}`, rack: 'ard/closet/w1', positionU: positionU++ });
  });
  after(() => bench.stop());

  const plug = (from: string, to: string, more: object = {}) => client.add('cable', { from, to, ...more });
  const way = async (ref: string) => {
    const { hops, ends, lengthCm } = await client.call('port.trace', { params: { ref } });
    return { stops: hops.map((hop) => hop.to.words), ends, lengthCm };
  };

  it('go into ports that fit, and into each once', async () => {
    await plug('acc-1:1/1', 'pp-1:1', { kind: 'cat6', colour: 'yellow', lengthCm: 100, marking: 'A-1' });
    const taken = await refusal(plug('acc-1:1/2', 'acc-1:1/1'));
    expect(taken.errors?.[0]).to.include({ code: 'cable-taken', pointer: '/to' });
    expect(taken.detail).to.equal('acc-1:1/1 already has a cable, to pp-1:1');
    expect(await faultsOf(plug('acc-1:1/1', 'acc-2:1/6'))).to.equal('cable-taken /from');
    expect(await faultsOf(plug('acc-1:1/2', 'acc-1:1/2'))).to.equal('cable-same /to');
    expect(await faultsOf(plug('acc-1:1/2', 'acc-1:con'))).to.equal('cable-unlike /to');
    expect(await faultsOf(plug('acc-1:pwr', 'acc-2:pwr'))).to.equal('cable-unlike /to');
    expect(await faultsOf(plug('acc-1:1/2', 'acc-2:1/2', { kind: 'om4' }))).to.equal('cable-plug /kind');
    expect(await faultsOf(plug('acc-1:1/2', 'acc-2:9/9'))).to.equal('ref-unknown /to');
    expect(await faultsOf(client.add('cable', { from: 'acc-1:1/2' }))).to.equal('cable-nowhere /to');
    expect(await faultsOf(plug('acc-1:1/2', 'acc-2:1/2', { farEnd: 'sea' }))).to.equal('cable-ends /farEnd');
    const both = [
      { from: 'acc-1:1/2', to: 'acc-2:1/2' },
      { from: 'acc-1:1/3', to: 'acc-2:1/2' },
    ];
    expect(await faultsOf(client.addAll('cable', both))).to.equal('taken /1/to');
  });

  it('are followed through panels, to a port, to words, to nowhere, and round in a circle', async () => {
    expect(await way('acc-1:1/1')).to.deep.equal({ stops: ['pp-1:1'], ends: 'open', lengthCm: 100 });
    await plug('pp-1:1-rear', 'pp-2:1-rear', { kind: 'cat6a', lengthCm: 3000 });
    await plug('pp-2:1', 'acc-2:1/5', { lengthCm: 50 });
    const stops = ['pp-1:1', 'pp-2:1-rear', 'acc-2:1/5'];
    expect(await way('acc-1:1/1')).to.deep.equal({ stops, ends: 'port', lengthCm: 3150 });
    expect((await way('acc-2:1/5')).stops.at(-1)).to.equal('acc-1:1/1');
    expect((await way('pp-2:1')).stops).to.deep.equal(['acc-2:1/5']);
    await client.add('cable', { from: 'acc-1:1/6', farEnd: 'ferry line, socket 3' });
    expect(await way('acc-1:1/6')).to.deep.equal({ stops: ['ferry line, socket 3'], ends: 'words', lengthCm: null });
    expect(await way('acc-1:1/5')).to.deep.equal({ stops: [], ends: 'none', lengthCm: null });
    await plug('pp-1:3', 'pp-2:3');
    await plug('pp-1:3-rear', 'pp-2:3-rear');
    expect((await way('pp-1:3')).ends).to.equal('circle');
  });

  it('are listed plug by plug, from the top of the rack down', async () => {
    const { items } = await client.call('cable.plugs', { query: { rack: 'ard/closet/w1' } });
    expect(items.map((item) => item.from.words)).to.deep.equal([
      'pp-2:1',
      'pp-2:1-rear',
      'pp-2:3',
      'pp-2:3-rear',
      'pp-1:1',
      'pp-1:1-rear',
      'pp-1:3',
      'pp-1:3-rear',
      'acc-2:1/5',
      'acc-1:1/1',
      'acc-1:1/6',
    ]);
    expect(items.at(-2)).to.deep.include({ kind: 'cat6', colour: 'yellow', marking: 'A-1' });
    expect(items.at(-2)?.to).to.deep.include({ words: 'pp-1:1', place: 'ard/closet/w1 U 3' });
    expect(items.at(-2)?.far?.words).to.equal('acc-2:1/5');
    expect((await client.call('cable.plugs', { query: { device: 'acc-2' } })).items).to.have.length(1);
    expect(await faultsOf(client.call('cable.plugs', { query: { rack: 'ard/closet/w9' } }))).to.equal(
      'ref-unknown /rack',
    );
  });

  it('move to other ports, change places in one request, and free what they leave', async () => {
    await plug('acc-1:1/2', 'acc-2:1/2');
    await plug('acc-1:1/3', 'acc-2:1/3');
    const swapped = [
      { key: 'acc-1:1/2', to: 'acc-2:1/3' },
      { key: 'acc-1:1/3', to: 'acc-2:1/2' },
    ];
    const text = JSON.stringify(swapped);
    const done = await client.call('import.run', { body: { kind: 'cable', text, apply: true } });
    expect(done.faults).to.deep.equal([]);
    expect((await client.show('cable', 'acc-1:1/2')).to).to.equal('acc-2:1/3');
    await client.edit('cable', 'acc-1:1/2', { from: 'acc-1:1/4' });
    await plug('acc-1:1/2', 'acc-2:1/1');
  });

  it('follow the names of their ports, and go with their devices', async () => {
    await client.edit('device', 'acc-1', { name: 'quay-1' });
    expect(await client.show('cable', 'quay-1:1/1')).to.include({ from: 'quay-1:1/1', to: 'pp-1:1' });
    const told = await client.removal('device', 'quay-1');
    expect(told.goes.filter((one) => one.kind === 'cable')).to.have.length(5);
    await client.remove('device', 'quay-1');
    expect((await way('acc-2:1/5')).ends).to.equal('open');
    await client.call('removed.restore', { params: { kind: 'device', ref: 'quay-1' } });
    expect((await way('acc-2:1/5')).stops.at(-1)).to.equal('quay-1:1/1');
  });

  it('have one winner when many want the same port', async () => {
    await client.add('model', { vendor: 'larkfield', name: 'many', ports: '1/{1..30} 1000base-t' });
    await client.add('device', { name: 'hub', model: 'larkfield/many' });
    const tries = Array.from({ length: 30 }, (_, i) => plug(`hub:1/${i + 1}`, 'acc-2:1/6'));
    const ended = await Promise.allSettled(tries);
    expect(ended.filter((one) => one.status === 'fulfilled')).to.have.length(1);
    const codes = await Promise.all(
      tries.map((one) =>
        one.then(
          () => 'won',
          (error: { problem?: { code?: string; errors?: { code: string }[] } }) =>
            error.problem?.errors?.[0]?.code ?? error.problem?.code ?? String(error),
        ),
      ),
    );
    // Two ports of the hub want one another's other end at most: the losers hear that it is taken.
    expect(
      [...new Set(codes.filter((code) => code !== 'won'))].every((code) => /^cable-(taken|raced)$/.test(code)),
    ).to.equal(true, codes.join(' '));
  });
});
