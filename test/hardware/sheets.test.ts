/** Model sheets: read with the place of every fault, written and read back without a difference. */
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { testService, type TestBench } from '../service.ts';
import { makeHardware } from './bench.ts';

describe('model sheets', () => {
  let bench: TestBench;
  let client: Client;
  before(async () => {
    bench = await testService();
    client = bench.clients.engineer;
    await makeHardware(client);
  });
  after(() => bench.stop());

  const read = (text: string, apply = false, name = 'one.yaml') =>
    client.call('sheet.read', { body: { sheets: [{ name, text }], apply } });
  const places = async (text: string) =>
    (await read(text)).faults.map((f) => `${f.line}:${f.column} ${f.at} ${f.code}`);

  it('bring a model with its vendor, and say before what would come of it', async () => {
    const text = [
      'vendor: hazel',
      'vendorTitle: Hazel',
      'name: H9',
      'title: H9',
      'heightU: 2',
      'weightGrams: 14000',
      'ports:',
      '  - { names: "eth{0..3}", kind: 10gbase-t }',
      '  - names: pwr-{1..2}',
      '    kind: power-inlet',
      'labels: [spare]',
    ].join('\n');
    const seen = await read(text);
    expect(seen).to.deep.include({ applied: false, vendors: ['hazel'], faults: [] });
    expect(seen.counts).to.deep.equal({ add: 1, edit: 0, same: 0 });
    expect((await client.list('vendor', { name: 'hazel' })).items).to.deep.equal([]);
    expect((await read(text, true)).applied).to.equal(true);
    const model = await client.show('model', 'hazel/h9');
    expect(model).to.deep.include({ heightU: 2, weightGrams: 14000, labels: ['spare'], depth: 'full' });
    expect(model.ports).to.deep.equal([
      { names: 'eth{0..3}', kind: '10gbase-t' },
      { names: 'pwr-{1..2}', kind: 'power-inlet' },
    ]);
    expect((await read(text)).counts).to.deep.equal({ add: 0, edit: 0, same: 1 });
  });

  for (const as of ['yaml', 'json'] as const) {
    it(`come back from ${as} without a difference, whatever the model has`, async () => {
      await client.edit('model', 'larkfield/c4', {
        note: 'Two lines:\n- one',
        slots: '{1..4} c4-card; fan fan-tray',
        width: 'half',
        powerWatts: 7,
      });
      const sheets = [];
      for (const { key } of (await client.list('model', { limit: 100 })).items) {
        const { name, text } = await client.call('sheet.write', { params: { ref: key }, query: { as } });
        sheets.push({ name, text });
      }
      const seen = await client.call('sheet.read', { body: { sheets } });
      expect(seen.faults).to.deep.equal([]);
      expect(seen.counts).to.deep.equal({ add: 0, edit: 0, same: sheets.length });
      // And into an empty place, from which they are written alike.
      const other = await testService();
      const fresh = await other.clients.engineer.call('sheet.read', { body: { sheets, apply: true } });
      expect(fresh.faults).to.deep.equal([]);
      for (const { name, text } of sheets) {
        const ref = name.replace(/\.(yaml|json)$/, '').replace('-', '/');
        const again = await other.clients.engineer.call('sheet.write', { params: { ref }, query: { as } });
        expect(again.text).to.equal(text);
      }
      await other.stop();
    });
  }

  it('name every fault with its line and column, all at once', async () => {
    const text = [
      'vendor: hazel', // 1
      'name: H 9',
      'heightU: tall',
      'depht: half',
      'dialect: nosuch',
      'ports:', // 6
      '  - names: 1/{1..24}',
      '    kind: 1000baset',
      '  - { names: "con{1..x}", kind: console }',
      '  - { names: fine, kind: console }',
      'slots: [{ names: 1/1, takes: line }]', // 11
    ].join('\n');
    const { faults } = await read(text);
    expect(faults.map((f) => `${f.line}:${f.column} ${f.at} ${f.code}`)).to.deep.equal([
      '2:7 name name-syntax',
      '3:10 heightU value-type',
      '4:8 depht field-unknown',
      '8:11 ports.0.kind port-kind-unknown',
      '9:14 ports.1.names series-syntax',
      '11:18 slots.0.names slot-name',
    ]);
    expect(faults[3]).to.include({ value: '1000baset' });
    expect(faults[3]?.remedy).to.contain('1000base-t');
    expect(faults[2]?.remedy).to.contain('depth');
  });

  it('say where a text is no sheet at all', async () => {
    expect(await places('vendor: larkfield\nports: [a\n')).to.have.length(1);
    expect((await places('vendor: larkfield\nvendor: hazel\n'))[0]).to.match(/^2:1 {2}sheet-syntax/);
    expect(await places('just words')).to.deep.equal(['1:1  sheet-shape']);
    expect(await places('')).to.deep.equal(['1:1  sheet-shape']);
    expect(await places('- { vendor: larkfield, name: x1 }\n- 7\n')).to.deep.equal(['2:3  sheet-shape']);
    expect(await places('vendor: larkfield\ntitle: Nameless\n')).to.deep.equal(['1:1 name value-missing']);
    expect(await places('vendor: larkfield\nname: x2\nports: "{slot}/1 console"\n')).to.deep.equal([
      '3:8 ports slot-sign',
    ]);
    expect(await places('vendor: larkfield\nname: x3\n---\nvendor: larkfield\nname: X3\n')).to.deep.equal([
      '5:7 name sheet-twice',
    ]);
    const bomb = Array.from({ length: 8 }, (_, i) => `a${i}: &a${i} [${`*a${i - 1}, `.repeat(i === 0 ? 0 : 9)}1]`).join(
      '\n',
    );
    expect((await places(`${bomb}\n`))[0]).to.equal('1:1  sheet-syntax');
    expect(await places('a: &a [1,1,1]\nb: [*a,*a]\nvendor: larkfield\nname: x4\n')).to.have.length(2);
  });

  it('take nothing in when one of many is faulty, and say how many devices will differ', async () => {
    await client.add('device', { name: 'ard-acc-1', model: 'larkfield/lf-4' });
    const sound = { name: 'a/lf-4.yaml', text: 'vendor: larkfield\nname: lf-4\nports: 1/{1..5} 1000base-t\n' };
    const faulty = { name: 'b.yaml', text: 'vendor: larkfield\nname: lf-6\nheightU: 99\n' };
    const seen = await client.call('sheet.read', { body: { sheets: [sound, faulty], apply: true } });
    expect(seen.applied).to.equal(false);
    expect(seen.faults.map((f) => `${f.file}:${f.line}`)).to.deep.equal(['b.yaml:3']);
    expect((await client.show('model', 'larkfield/lf-4')).version).to.equal(1);
    const done = await client.call('sheet.read', { body: { sheets: [sound], apply: true } });
    expect(done).to.deep.include({ applied: true, differing: 1 });
    expect(done.models[0]?.changes.map((c) => c.field)).to.deep.equal(['ports']);
  });
});
