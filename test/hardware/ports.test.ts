/** Ports come with models and cards, go with them, and come back with them; interfaces come with ports. */
import { expect } from 'chai';
import fc from 'fast-check';
import type { Client } from '@zpine/contract/client';
import type { AnyRecord } from '@zpine/contract/kind';
import { refusal, testService, type TestBench } from '../service.ts';
import { faultsOf, makeHardware, namesOf } from './bench.ts';
import { runs } from '../../trials/runs.ts';

describe('ports', () => {
  let bench: TestBench;
  let client: Client;
  before(async () => {
    bench = await testService();
    client = bench.clients.engineer;
    await makeHardware(client);
  });
  after(() => bench.stop());

  let made = 0;
  const device = async (model: string | null, more: object = {}): Promise<string> => {
    const name = `d-${(made += 1)}`;
    await client.add('device', { name, site: 'ard', ...(model ? { model: `larkfield/${model}` } : {}), ...more });
    return name;
  };
  const ports = (name: string) => namesOf(client, 'port', name);
  const interfaces = (name: string) => namesOf(client, 'interface', name);
  const lastSet = async () => (await client.call('history.list', { query: { limit: '1' } })).items[0];
  const undo = async (id = 0) =>
    client.call('history.undo', { params: { id: String(id || (await lastSet())?.id) }, body: { apply: true } });

  it('come with the model, and make no changes of their own', async () => {
    const name = await device('lf-4');
    expect(await ports(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4', 'con', 'pwr']);
    expect(await interfaces(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4']);
    expect((await lastSet())?.changes.map((change) => change.kind)).to.deep.equal(['device']);
    const one = await client.show('interface', `${name}:1/3`);
    expect(one).to.include({ version: 0, form: 'port', port: `${name}:1/3`, mode: null, enabled: true });
  });

  it('have interfaces that are edited like any, with both versions in the history', async () => {
    const name = await device('lf-4');
    const one = await client.edit('interface', `${name}:1/3`, { description: 'crane', vlan: '316' });
    expect(one).to.include({ version: 1, description: 'crane', mode: 'access', vlan: 'ard/316' });
    const [change] = (await lastSet())?.changes ?? [];
    expect(change?.before).to.include({ description: null });
    await undo();
    expect(await client.show('interface', `${name}:1/3`)).to.include({ version: 2, description: null, vlan: null });
  });

  it('come with cards, and cards within cards, and go with them', async () => {
    const name = await device('c4');
    expect(await ports(name)).to.deep.equal(['con']);
    await client.add('card', { device: name, slot: '1', model: 'larkfield/c4-4t', serial: 'C-1' });
    await client.addAll('card', [
      { device: name, slot: '3', model: 'larkfield/c4-bay' },
      { device: name, slot: '3/2', model: 'larkfield/c4-half' },
    ]);
    expect(await ports(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4', '3/2/1', '3/2/2', 'con']);
    expect(await client.show('card', `${name}:3/2`)).to.include({ inside: `${name}:3` });
    expect(await client.show('port', `${name}:3/2/1`)).to.include({ source: 'card', card: `${name}:3/2` });
    const told = await client.removal('card', `${name}:3`);
    expect(told.goes.map((one) => `${one.kind} ${one.key}`)).to.deep.equal([`card ${name}:3`, `card ${name}:3/2`]);
    await client.remove('card', `${name}:3`);
    expect(await interfaces(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4']);
    await undo();
    expect(await interfaces(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4', '3/2/1', '3/2/2']);
    expect(await client.show('card', `${name}:3/2`)).to.include({ inside: `${name}:3` });
    await client.edit('card', `${name}:1`, { model: 'larkfield/c4-2x' });
    expect(await ports(name)).to.deep.equal(['1/1', '1/2', '3/2/1', '3/2/2', 'con']);
    expect(await client.show('port', `${name}:1/1`)).to.include({ kind: '10gbase-r' });
  });

  it('refuse cards that go nowhere', async () => {
    const name = await device('c4');
    const card = (slot: string, model: string, more: object = {}) =>
      faultsOf(client.add('card', { device: name, slot, model: `larkfield/${model}`, ...more }));
    expect(await card('9', 'c4-4t')).to.equal('slot-unknown /slot');
    expect(await card('1', 'c4-half')).to.equal('card-unfit /model');
    expect(await card('1', 'lf-4')).to.equal('model-no-card /model');
    expect(await card('2/1', 'c4-half')).to.equal('slot-without-card /slot');
    await client.add('card', { device: name, slot: '1', model: 'larkfield/c4-4t' });
    expect(await card('1', 'c4-4t')).to.equal('taken /slot');
    expect(await card('1/1', 'c4-half')).to.equal('slot-unknown /slot');
    expect(await card('2', 'c4-4t', { serial: 'C-1' })).to.equal('taken /serial');
    expect(await faultsOf(client.add('device', { name: 'd-card', model: 'larkfield/c4-4t' }))).to.equal(
      'model-is-card /model',
    );
    expect(await faultsOf(client.edit('model', 'larkfield/c4-4t', { fits: null }))).to.contain('slot-sign /ports');
    expect(await faultsOf(client.edit('model', 'larkfield/c4-4t', { fits: 'other' }))).to.equal('card-form-lost /fits');
  });

  it('stay while they are cabled or addressed', async () => {
    const name = await device('c4');
    const other = await device('lf-4');
    await client.add('card', { device: name, slot: '1', model: 'larkfield/c4-4t' });
    await client.add('cable', { from: `${name}:1/2`, to: `${other}:1/1` });
    expect(await faultsOf(client.remove('card', `${name}:1`))).to.equal('ports-in-use');
    expect(await faultsOf(client.edit('card', `${name}:1`, { model: 'larkfield/c4-2x' }))).to.equal('cable-unlike');
    expect(await faultsOf(client.edit('device', name, { model: null }))).to.equal('card-in-the-way');
    await client.remove('cable', `${name}:1/2`);
    await client.add('prefix', { cidr: '10.99.0.0/24' });
    await client.add('address', { address: '10.99.0.5', interface: `${name}:1/3` });
    expect(await faultsOf(client.remove('card', `${name}:1`))).to.equal('ports-in-use');
    await client.remove('address', '10.99.0.5');
    expect(await faultsOf(client.edit('device', name, { model: null }))).to.equal('card-in-the-way');
    await client.remove('card', `${name}:1`);
    expect(await ports(name)).to.deep.equal(['con']);
  });

  it('are not those of an undeclared card', async () => {
    const name = await device('c4');
    const { errors } = await refusal(client.add('interface', { device: name, name: '2/7' }));
    expect(errors?.[0]).to.include({ code: 'port-unknown', pointer: '/name' });
    expect(errors?.[0]?.remedy).to.contain(`slot 2 is empty; declare its card: zpine card add ${name}:2`);
    expect(await faultsOf(client.add('interface', { device: await device('lf-4'), name: '1/9' }))).to.equal(
      'port-unknown /name',
    );
    expect(await faultsOf(client.remove('interface', `${await device('lf-4')}:1/1`))).to.equal('interface-of-port');
    expect(await faultsOf(client.remove('port', `${await device('lf-4')}:con`))).to.equal('port-brought');
  });

  it('are added by hand where nobody declared a model, by the port or by its interface', async () => {
    const name = await device(null);
    await client.add('interface', { device: name, name: 'eth0' });
    await client.add('port', { device: name, name: 'eth1', kind: '10gbase-t' });
    await client.add('port', { device: name, name: 'ttyS0', kind: 'console' });
    expect(await ports(name)).to.deep.equal(['eth0', 'eth1', 'ttyS0']);
    expect(await interfaces(name)).to.deep.equal(['eth0', 'eth1']);
    await client.remove('interface', `${name}:eth0`);
    expect(await ports(name)).to.deep.equal(['eth1', 'ttyS0']);
    await undo();
    expect(await ports(name)).to.deep.equal(['eth0', 'eth1', 'ttyS0']);
    await client.remove('port', `${name}:eth1`);
    expect(await interfaces(name)).to.deep.equal(['eth0']);
    await client.edit('device', name, { model: 'larkfield/lf-4' });
    expect(await ports(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4', 'con', 'eth0', 'pwr', 'ttyS0']);
  });

  it('follow a changed model only when told to, and say before how they differ', async () => {
    await client.add('model', { vendor: 'larkfield', name: 'grow', ports: '1/{1..3} 1000base-t; con console' });
    const [one, two] = [await device('grow'), await device('grow')];
    await client.add('cable', { from: `${two}:1/3`, farEnd: 'the crane' });
    await client.edit('model', 'larkfield/grow', { ports: '1/{1..2} 2.5gbase-t; aux 1000base-t; con console' });
    expect(await ports(one)).to.deep.equal(['1/1', '1/2', '1/3', 'con']);
    const { devices } = await client.call('model.differing', { params: { ref: 'larkfield/grow' } });
    expect(devices).to.deep.equal([
      {
        device: one,
        missing: ['aux'],
        extra: ['1/3'],
        other: [
          { port: '1/1', is: '1000base-t', wanted: '2.5gbase-t' },
          { port: '1/2', is: '1000base-t', wanted: '2.5gbase-t' },
        ],
        blocked: null,
      },
      { ...devices[1], device: two, blocked: `a cable in ${two}:1/3` },
    ]);
    const done = await client.call('model.align', { params: { ref: 'larkfield/grow' }, body: {} });
    expect(done.aligned).to.deep.equal([one]);
    expect(done.refused.map((r) => r.device)).to.deep.equal([two]);
    expect(await ports(one)).to.deep.equal(['1/1', '1/2', 'aux', 'con']);
    expect(await interfaces(one)).to.deep.equal(['1/1', '1/2', 'aux']);
    expect(await ports(two)).to.deep.equal(['1/1', '1/2', '1/3', 'con']);
  });

  it('of another sort under the same name are other ports, with or without an interface', async () => {
    await client.add('model', { vendor: 'larkfield', name: 'turn', ports: 'a 1000base-t; b console' });
    const name = await device('turn');
    await client.edit('interface', `${name}:a`, { description: 'crane' });
    await client.edit('model', 'larkfield/turn', { ports: 'a console; b 1000base-t' });
    const done = await client.call('model.align', { params: { ref: 'larkfield/turn' }, body: {} });
    expect(done.aligned).to.deep.equal([name]);
    expect(await ports(name)).to.deep.equal(['a', 'b']);
    expect(await interfaces(name)).to.deep.equal(['b']);
    await undo();
    expect(await client.show('port', `${name}:a`)).to.include({ kind: '1000base-t' });
    expect(await client.show('interface', `${name}:a`)).to.include({ description: 'crane', port: `${name}:a` });
    expect((await client.call('model.differing', { params: { ref: 'larkfield/turn' } })).count).to.equal(1);
  });

  it('come back with a removed device: what was said of them, what was plugged in, under the same ids', async () => {
    const [name, other] = [await device('lf-4'), await device('lf-4')];
    await client.edit('interface', `${name}:1/2`, { description: 'ferry', vlan: '316' });
    await client.add('cable', { from: `${name}:1/2`, to: `${other}:1/4`, colour: 'red' });
    await client.edit('device', name, { management: `${name}:1/3` });
    const before = await client.show('port', `${name}:1/2`);
    await client.remove('device', name);
    expect(await client.list('cable', { where: `to=${other}:1/4` })).to.deep.include({ items: [] });
    await client.call('removed.restore', { params: { kind: 'device', ref: name } });
    expect(await ports(name)).to.deep.equal(['1/1', '1/2', '1/3', '1/4', 'con', 'pwr']);
    expect(await client.show('interface', `${name}:1/2`)).to.include({ description: 'ferry', port: `${name}:1/2` });
    expect((await client.show('port', `${name}:1/2`)).id).to.equal(before.id);
    expect(await client.show('cable', `${name}:1/2`)).to.include({ to: `${other}:1/4`, colour: 'red' });
    expect((await client.show('device', name)).management).to.equal(`${name}:1/3`);
    expect(await client.call('model.differing', { params: { ref: 'larkfield/lf-4' } })).to.include({ count: 0 });
  });

  it('are declared against found, and declared from what was found', async () => {
    const name = await device('c4');
    await client.add('card', { device: name, slot: '1', model: 'larkfield/c4-4t', serial: 'C-90' });
    await client.add('card', { device: name, slot: '2', model: 'larkfield/c4-2x' });
    const params = { ref: name };
    const states = async () =>
      (await client.call('device.hardware', { params })).slots.map((slot) => `${slot.slot} ${slot.state}`);
    expect(await states()).to.deep.equal(['1 unseen', '2 unseen', '3 empty', '4 empty']);
    const cards = [
      { slot: '1', model: 'C4-4T', serial: 'c-90' },
      { slot: '3', model: 'C4-BAY' },
      { slot: '3/1', model: 'C4-HALF', serial: 'C-91' },
      { slot: '4', model: 'UNHEARD-OF' },
    ];
    await bench.clients.installer.call('device.found', { params, body: { cards } });
    expect(await states()).to.deep.equal(['1 same', '2 missing', '3 undeclared', '4 undeclared', '3/1 undeclared']);
    await client.call('device.found', { params, body: { cards: [...cards, { slot: '2', model: 'C4-4T' }] } });
    expect(await states()).to.include('2 differs');
    await client.call('device.declareFound', { params });
    expect(await states()).to.include.members(['3 same', '3/1 same', '3/2 empty', '4 undeclared']);
    expect(await ports(name)).to.include.members(['3/1/1', '3/1/2']);
  });

  it('are as a naive model says, whatever is done to the hardware', async function () {
    this.timeout(60_000);
    const brings: Record<string, (slot: string) => string[]> = {
      'c4-4t': (slot) => [1, 2, 3, 4].map((n) => `${slot}/${n}`),
      'c4-2x': (slot) => [1, 2].map((n) => `${slot}/${n}`),
      'c4-bay': () => [],
      'c4-half': (slot) => [1, 2].map((n) => `${slot}/${n}`),
    };
    const slots = ['1', '2', '3', '4', '1/1', '1/2', '2/1'];
    const op = fc.oneof(
      fc.record({
        is: fc.constant('fill' as const),
        slot: fc.constantFrom(...slots),
        model: fc.constantFrom(...Object.keys(brings)),
      }),
      fc.record({ is: fc.constant('clear' as const), slot: fc.constantFrom(...slots) }),
      fc.record({ is: fc.constant('edit' as const), n: fc.nat(20) }),
      fc.record({ is: fc.constant('undo' as const) }),
      fc.record({ is: fc.constant('again' as const) }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(op, { minLength: 4, maxLength: 14 }), async (ops) => {
        const name = await device('c4');
        let cards = new Map<string, string>();
        // What there was before each change that can be taken back.
        const past: { set: number; cards: Map<string, string> }[] = [];
        const did = async (before: Map<string, string>) =>
          past.push({ set: (await lastSet())?.id ?? 0, cards: before });
        for (const one of ops) {
          const before = new Map(cards);
          if (one.is === 'fill') {
            const around = one.slot.includes('/') ? cards.get(one.slot.split('/')[0] ?? '') : 'c4';
            const takes = one.slot.includes('/') ? (around === 'c4-bay' ? 'half' : '') : 'card';
            const fits = takes === (one.model === 'c4-half' ? 'half' : 'card') && !cards.has(one.slot);
            const call = client.add('card', { device: name, slot: one.slot, model: `larkfield/${one.model}` });
            if (!fits) await faultsOf(call);
            else {
              await call;
              cards.set(one.slot, one.model);
              await did(before);
            }
          } else if (one.is === 'clear') {
            if (!cards.has(one.slot)) continue;
            await client.remove('card', `${name}:${one.slot}`);
            cards = new Map([...cards].filter(([slot]) => slot !== one.slot && !slot.startsWith(`${one.slot}/`)));
            await did(before);
          } else if (one.is === 'edit') {
            const all = await interfaces(name);
            const target = all[one.n % Math.max(1, all.length)];
            if (target === undefined) continue;
            await client.edit('interface', `${name}:${target}`, { description: `said ${one.n} ${past.length}` });
            await did(before);
          } else if (one.is === 'undo') {
            const last = past.pop();
            if (!last) continue;
            await undo(last.set);
            cards = last.cards;
          } else {
            await client.remove('device', name);
            await client.call('removed.restore', { params: { kind: 'device', ref: name } });
            // What was done before stands behind a removal now.
            past.length = 0;
          }
          const wanted = [...cards].flatMap(([slot, model]) => brings[model]?.(slot) ?? []);
          expect(await ports(name), JSON.stringify(one)).to.have.members(['con', ...wanted]);
          expect(await interfaces(name), JSON.stringify(one)).to.have.members(wanted);
        }
      }),
      { numRuns: runs(5, 12) },
    );
  });

  it('are no hindrance to taking a device back once what was said of them is taken back', async () => {
    const name = await device('lf-4');
    const added = (await lastSet())?.id;
    await client.edit('interface', `${name}:1/1`, { description: 'crane' });
    const described = (await lastSet())?.id;
    const refused = client.call('history.undo', { params: { id: String(added) }, body: { apply: true } });
    expect(await faultsOf(refused)).to.equal('in-use');
    await undo(described);
    await undo(added);
    expect((await client.list('device', { where: `name=${name}` })).items).to.deep.equal([]);
  });

  it('are thousands in one import, and go again when it is taken back', async function () {
    this.timeout(60_000);
    const rows = Array.from({ length: 300 }, (_, i) => `many-${i},larkfield/lf-6`);
    const csv = `name,model\n${rows.join('\n')}\n`;
    const done = await client.call('import.run', { body: { kind: 'device', text: csv, apply: true } });
    expect(done.counts.add).to.equal(300);
    const set = await lastSet();
    expect(set?.count).to.equal(300);
    const count = async (kind: 'port' | 'interface') =>
      (await client.list(kind, { where: 'device=many-*', count: 'true', limit: 1 })).count;
    expect(await count('port')).to.equal(2400);
    expect(await count('interface')).to.equal(1800);
    await undo(set?.id);
    expect(await count('port')).to.equal(0);
    const left = (await client.list('device', { where: 'name=many-*', limit: 1 })).items as unknown as AnyRecord[];
    expect(left).to.deep.equal([]);
  });
});
