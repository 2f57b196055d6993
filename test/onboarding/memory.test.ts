/** What clients are answered from is what the records say, whatever was changed, before the change is called done. */
import { isDeepStrictEqual } from 'node:util';
import { expect } from 'chai';
import { BootMemory } from '@zpine/core/dhcp/memory';
import type { Client } from '@zpine/contract/client';
import type { BodyIn } from '@zpine/contract/routes';
import { bootSettings, factsOf, knownDialects, linksOf } from '../../service/app/boot/facts.ts';
import { spareBoxes } from '../../service/app/boot/others.ts';
import { settingsOf } from '../../service/app/settings/effective.ts';
import { BootClock } from '../../service/boot/clock.ts';
import { Refresher } from '../../service/boot/refresher.ts';
import { Faults } from '../../service/store/faults.ts';
import { find } from '../../service/store/records.ts';
import { readOnly } from '../../service/store/transact.ts';
import { actor, demoService, type TestBench } from '../service.ts';

const log = { info: () => undefined, warn: () => undefined, debug: () => undefined };

describe('what booting clients are answered from', () => {
  let bench: TestBench;
  let api: Client;
  let memory: BootMemory;
  let refresher: Refresher;
  let around = '';
  before(async () => {
    bench = await demoService();
    api = bench.clients.admin;
    memory = new BootMemory({ address: '10.77.0.10', httpPort: 80, httpsPort: 0 }, 200);
    refresher = new Refresher(bench.store, memory, new BootClock(), 1, new Faults(log), log);
    await refresher.start(() => Promise.resolve());
    bench.store.committed = (hints) => refresher.refresh(hints);
  });
  after(async () => {
    await refresher.stop();
    await bench.stop();
  });

  /** What differs between memory and records, in words. */
  const differences = () =>
    readOnly(bench.store, actor, async (tx) => {
      const out: string[] = [];
      const devices = await find(tx, 'device', {});
      for (const fact of await factsOf(tx, devices))
        if (!isDeepStrictEqual(fact, memory.fact(fact.id))) out.push(`device ${fact.key}`);
      const standing = new Set(devices.map(({ id }) => id));
      for (const id of memory.deviceIds())
        if (!standing.has(id)) out.push(`device ${memory.fact(id)?.key ?? ''} is gone`);
      const links = await linksOf(tx);
      for (const link of links)
        if (!isDeepStrictEqual(link, memory.links.byId(link.id))) out.push(`prefix ${link.key}`);
      if (links.length !== memory.links.size) out.push(`${memory.links.size} prefixes for ${links.length}`);
      const spare = (await spareBoxes(tx)).map(({ id }) => id).sort((a, b) => a - b);
      if (
        !isDeepStrictEqual(
          spare,
          [...memory.spareIds()].sort((a, b) => a - b),
        )
      )
        out.push('spare boxes');
      const names = (await bootSettings(tx)).map(({ name }) => name);
      const [somewhere] = links;
      for (const device of devices) {
        const said = await settingsOf(tx, device);
        const booting = memory.device(device.id);
        const known = somewhere && booting && memory.settingsOf(booting, somewhere, undefined);
        for (const name of names) {
          const { setting: _, ...wanted } = said.get(name) ?? {};
          if (!isDeepStrictEqual(wanted, known?.get(name))) out.push(`${name} of ${device.key}`);
        }
      }
      const dialects = await knownDialects(tx);
      for (const [id, { name }] of dialects) if (memory.dialects.get(id)?.name !== name) out.push(`dialect ${name}`);
      return out;
    });

  type Put = BodyIn<'value.put'>;
  const put = (setting: string, layer: Put['layer'], of: string | undefined, value: Put['value']) =>
    api.call('value.put', { body: { setting, layer, mode: 'set', value, ...(of === undefined ? {} : { of }) } });

  const changes: [string, () => Promise<unknown>][] = [
    ['a value everywhere', () => put('name.domain', 'everywhere', undefined, 'crew.brackwater.example')],
    ['a value of a site', () => put('name.servers', 'site', 'ard', ['10.77.0.53'])],
    ['a value of a device', () => put('lease.seconds', 'device', 'ard-acc-1', 900)],
    [
      'a label that says something',
      async () => {
        await api.add('label', { name: 'quayside', rank: 5 });
        await put('time.servers', 'label', 'quayside', ['10.77.0.5']);
      },
    ],
    ['labels of a device', () => api.edit('device', 'ard-acc-1', { labels: ['quayside'] })],
    ['the rank of a label', () => api.edit('label', 'quayside', { rank: 7 })],
    ['the code of a site', () => api.edit('site', 'cob', { code: 'cbx' })],
    [
      'the area of a site',
      async () => {
        await api.add('area', { name: 'far-isles' });
        await put('name.domain', 'area', 'far-isles', 'far.brackwater.example');
        await api.edit('site', 'cbx', { area: 'far-isles' });
      },
    ],
    ['the name of a device', () => api.edit('device', 'ard-acc-1', { name: 'ard-acc-9' })],
    [
      'the dialect of a model',
      async () => {
        const [model] = (await api.list('model', { where: 'dialect=furrow', limit: 1 })).items;
        await api.edit('model', model?.key ?? '', { dialect: 'shale' });
      },
    ],
    [
      'a smaller prefix around addresses that stand',
      async () => {
        const { management } = await api.call('device.overview', { params: { ref: 'mos-acc-1' } });
        const [a, b, c, d = '0'] = (management?.address ?? '').split('.');
        around = `${a}.${b}.${c}.${Number(d) & 0xf8}/29`;
        await api.edit('prefix', `${a}.${b}.${c}.0/24`, { heldBack: null });
        await api.add('prefix', { cidr: around });
      },
    ],
    ['and it is gone again', () => api.remove('prefix', around)],
    [
      'pool, gateway and relays of a prefix',
      () => api.edit('prefix', '10.77.16.0/24', { relays: '10.77.16.2', answers: 'known' }),
    ],
    [
      'the VRF of its name',
      async () => {
        await api.add('vrf', { name: 'dock' });
        await api.add('prefix', { cidr: '10.77.99.0/24', vrf: 'dock', gateway: '10.77.99.1' });
        await api.edit('vrf', 'dock', { name: 'docks' });
      },
    ],
    [
      'an address that is assigned',
      async () => {
        const on = String((await api.show('device', 'cob-acc-1')).management);
        await api.call('address.assign', { body: { prefix: '10.77.16.0/24', interface: on } });
      },
    ],
    [
      'an address that is removed',
      async () => {
        const { management } = await api.call('device.overview', { params: { ref: 'cob-acc-1' } });
        await api.remove('address', management?.address ?? '');
      },
    ],
    [
      'the MAC of an interface',
      async () => {
        const on = String((await api.show('device', 'ard-acc-9')).management);
        await api.edit('interface', on, { mac: '02:00:00:00:dd:01' });
        await api.edit('interface', on, { mac: '02:00:00:00:dd:02' });
      },
    ],
    [
      'a box of the stock',
      () => api.add('box', { serial: 'LF24-7777-01', mac: '02:00:00:00:dd:10', model: 'larkfield/lf-24' }),
    ],
    ['a box that is fitted', () => api.edit('box', 'LF24-7777-01', { device: 'ard-acc-9' }).catch(() => undefined)],
    [
      'serial and MAC of a box',
      async () => {
        const [box] = (await api.list('box', { device: 'har-acc-1' })).items;
        await api.edit('box', box?.key ?? '', { serial: 'LF24-8888-01', mac: '02:00:00:00:dd:11' });
      },
    ],
    [
      'a box that is taken out',
      async () => {
        const [box] = (await api.list('box', { device: 'har-acc-1' })).items;
        await api.edit('box', box?.key ?? '', { device: null });
      },
    ],
    ['a box that is gone', () => api.remove('box', 'LF24-7777-01').catch(() => undefined)],
    [
      'a window that opens, and closes',
      async () => {
        await api.call('edition.make', { params: { ref: 'ske-acc-1' }, body: {} }).catch(() => undefined);
        await api.call('arrival.close', { params: { ref: 'ske-acc-1' } }).catch(() => undefined);
      },
    ],
    [
      'many at once',
      () => api.editMany('device', { where: 'site=har', changes: {}, addLabels: ['quayside'], apply: true }),
    ],
    [
      'a removed value',
      () => api.call('value.remove', { body: { setting: 'name.servers', layer: 'site', of: 'ard' } }),
    ],
    [
      'a device that is gone, and back',
      async () => {
        const before = memory.deviceCount;
        await api.add('device', { name: 'for-a-while', site: 'ard' });
        expect(memory.deviceCount).to.equal(before + 1);
        await api.remove('device', 'for-a-while');
        expect(memory.deviceCount).to.equal(before);
      },
    ],
  ];
  for (const [what, change] of changes)
    it(`is right after ${what}`, async () => {
      await change();
      expect(await differences()).to.deep.equal([]);
    });

  it('is put right, and counted, where it was not what the records say', async function () {
    this.timeout(40_000);
    const [id = 0] = memory.deviceIds();
    const fact = memory.fact(id);
    if (!fact) throw new Error('no device');
    memory.put({ ...fact, key: 'made-up' });
    while (refresher.state.differences === 0) await new Promise((resolve) => setTimeout(resolve, 200));
    expect([memory.fact(id)?.key, refresher.state.differences]).to.deep.equal([fact.key, 1]);
  });
});
