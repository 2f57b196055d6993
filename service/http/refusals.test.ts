/** Bad input: each a clear refusal with field and remedy, and nothing half-written. */
import { expect } from 'chai';
import type { Problem } from '@zpine/contract/errors';
import { refusal, testService, type TestBench } from '../../test/service.ts';

describe('refusals', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService({ ZPINE_BODY_BYTES: '20000' });
    const { engineer } = bench.clients;
    await engineer.addAll('site', [{ code: 'ard' }, { code: 'cob' }]);
    await engineer.add('use', { name: 'management', management: true });
    await engineer.add('vlan', { site: 'ard', number: 304, use: 'management' });
    await engineer.add('prefix', {
      cidr: '10.77.16.0/24',
      vlan: 'ard/304',
      gateway: '10.77.16.1',
      heldBack: '10.77.16.2-10.77.16.10',
      pool: '10.77.16.200-10.77.16.239',
    });
    await engineer.add('vendor', { name: 'larkfield' });
    await engineer.add('model', { vendor: 'larkfield', name: 'lf-24' });
    await engineer.add('room', { site: 'ard', name: 'closet' });
    await engineer.add('rack', { room: 'ard/closet', name: 'w1', heightU: 12 });
    await engineer.add('device', { name: 'ard-acc-1', model: 'larkfield/lf-24', rack: 'ard/closet/w1', positionU: 7 });
    await engineer.add('box', {
      serial: 'LF24-0188-01',
      model: 'larkfield/lf-24',
      mac: '00:00:5e:00:53:a1',
      device: 'ard-acc-1',
      assetNumber: 'BF-1',
    });
    await engineer.add('interface', { device: 'ard-acc-1', name: '1/1', mac: '00:00:5e:00:53:a2' });
  });
  after(() => bench.stop());

  async function raw(
    method: string,
    path: string,
    body?: string,
    headers: Record<string, string> = {},
  ): Promise<{ response: Response; problem: Problem }> {
    const response = await fetch(`${bench.url}${path}`, {
      method,
      headers: { Authorization: `Bearer ${bench.tokens.engineer}`, 'Content-Type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body }),
    });
    expect(response.headers.get('content-type')).to.include('application/problem+json');
    return { response, problem: (await response.json()) as Problem };
  }

  it('malformed JSON', async () => {
    const { problem } = await raw('POST', '/api/v1/sites', '{"code": "x",}');
    expect(problem).to.include({ status: 400, code: 'body-malformed' });
  });
  it('a body that is not JSON by its own word', async () => {
    expect((await raw('POST', '/api/v1/sites', 'code=x', { 'Content-Type': 'text/plain' })).problem).to.include({
      status: 415,
      code: 'body-type',
    });
  });
  it('a body too large', async () => {
    const { problem } = await raw('POST', '/api/v1/sites', JSON.stringify({ code: 'big', note: 'x'.repeat(30000) }));
    expect(problem).to.include({ status: 413, code: 'body-large', detail: 'the most is 20000 bytes' });
  });
  it('a path that nothing answers to', async () => {
    expect((await raw('GET', '/api/v1/sitez')).problem).to.include({ status: 404, code: 'route-unknown' });
  });
  it('a method that a path does not take', async () => {
    const { response, problem } = await raw('DELETE', '/api/v1/sites');
    expect(problem).to.include({ status: 405, code: 'method-unknown' });
    expect(response.headers.get('allow')).to.equal('GET, POST, PATCH');
  });
  it('a header that is not understood', async () => {
    expect((await raw('PATCH', '/api/v1/sites/ard', '{}', { 'If-Match': 'latest' })).problem).to.include({
      status: 400,
      code: 'header-malformed',
    });
  });

  const { engineer } = new Proxy({} as TestBench['clients'], {
    get: (_t, role: 'engineer') =>
      new Proxy({} as TestBench['clients']['engineer'], {
        get:
          (_c, name: 'add') =>
          (...args: unknown[]) =>
            (bench.clients[role][name] as (...a: unknown[]) => unknown)(...args),
      }),
  });

  interface Case {
    what: string;
    call: () => Promise<unknown>;
    code: string;
    pointer?: string;
    words?: RegExp;
  }
  const cases: Case[] = [
    {
      what: 'a name that is taken',
      call: () => engineer.add('site', { code: 'ARD' }),
      code: 'taken',
      pointer: '/code',
      words: /taken by site ard/,
    },
    {
      what: 'a name with blanks',
      call: () => engineer.add('site', { code: 'Harbour House' }),
      code: 'name-syntax',
      pointer: '/code',
      words: /harbour-house/,
    },
    { what: 'a name that is missing', call: () => engineer.add('site', {}), code: 'value-missing', pointer: '/code' },
    {
      what: 'an unknown field',
      call: () => engineer.add('rack', { room: 'ard/closet', name: 'w2', hightU: 12 }),
      code: 'field-unknown',
      pointer: '/hightU',
      words: /heightU/,
    },
    {
      what: 'a reference that leads nowhere',
      call: () => engineer.add('room', { site: 'ardl', name: 'x' }),
      code: 'ref-unknown',
      pointer: '/site',
      words: /did you mean ard/,
    },
    {
      what: 'a number out of bounds',
      call: () => engineer.add('rack', { room: 'ard/closet', name: 'w2', heightU: 61 }),
      code: 'value-high',
      pointer: '/heightU',
      words: /60/,
    },
    {
      what: 'a number as text',
      call: () => engineer.add('rack', { room: 'ard/closet', name: 'w2', heightU: '12' }),
      code: 'value-type',
      pointer: '/heightU',
    },
    {
      what: 'a choice that does not exist',
      call: () => engineer.add('rack', { room: 'ard/closet', name: 'w2', numbering: 'botom' }),
      code: 'value-choice',
      pointer: '/numbering',
      words: /bottom/,
    },
    {
      what: 'a time zone that does not exist',
      call: () => engineer.edit('site', 'ard', { timeZone: 'Europe/Ardle' }),
      code: 'zone-unknown',
      pointer: '/timeZone',
    },
    {
      what: 'a control character',
      call: () => engineer.edit('site', 'ard', { title: 'Ard\u0007le' }),
      code: 'text-control',
      pointer: '/title',
    },
    {
      what: 'a text too long',
      call: () => engineer.edit('site', 'ard', { title: 'x'.repeat(201) }),
      code: 'value-long',
      pointer: '/title',
    },
    {
      what: 'a serial that is taken',
      call: () => engineer.add('box', { serial: 'lf24-0188-01', model: 'larkfield/lf-24' }),
      code: 'taken',
      pointer: '/serial',
      words: /box lf24-0188-01/,
    },
    {
      what: 'a MAC of another box',
      call: () => engineer.add('box', { serial: 'x1', model: 'larkfield/lf-24', mac: '00005E-0053A1' }),
      code: 'taken',
      pointer: '/mac',
      words: /box lf24-0188-01/,
    },
    {
      what: 'a MAC of an interface',
      call: () => engineer.add('box', { serial: 'x1', model: 'larkfield/lf-24', mac: '0000.5e00.53a2' }),
      code: 'taken',
      pointer: '/mac',
      words: /interface ard-acc-1:1\/1/,
    },
    {
      what: 'what is no MAC',
      call: () => engineer.add('box', { serial: 'x1', model: 'larkfield/lf-24', mac: '00:00:5e' }),
      code: 'mac-syntax',
      pointer: '/mac',
    },
    {
      what: 'an asset number that is taken',
      call: () => engineer.add('box', { serial: 'x1', model: 'larkfield/lf-24', assetNumber: 'BF-1' }),
      code: 'taken',
      pointer: '/assetNumber',
    },
    {
      what: 'a second box in a device',
      call: () => engineer.add('box', { serial: 'x1', model: 'larkfield/lf-24', device: 'ard-acc-1' }),
      code: 'taken',
      pointer: '/device',
      words: /box lf24-0188-01/,
    },
    {
      what: 'a box in stock that is fitted',
      call: () => engineer.edit('box', 'lf24-0188-01', { condition: 'stock' }),
      code: 'box-condition',
      pointer: '/condition',
    },
    {
      what: 'host bits',
      call: () => engineer.add('prefix', { cidr: '10.77.48.7/24' }),
      code: 'prefix-host-bits',
      pointer: '/cidr',
      words: /10\.77\.48\.0\/24.*10\.77\.48\.7/,
    },
    {
      what: 'leading zeros',
      call: () => engineer.add('prefix', { cidr: '10.077.48.0/24' }),
      code: 'address-leading-zero',
      pointer: '/cidr',
      words: /10\.77\.48\.0/,
    },
    {
      what: 'a length that cannot be',
      call: () => engineer.add('prefix', { cidr: '10.77.48.0/33' }),
      code: 'prefix-length',
      pointer: '/cidr',
    },
    {
      what: 'a prefix that exists',
      call: () => engineer.add('prefix', { cidr: '10.77.16.0/24' }),
      code: 'taken',
      pointer: '/cidr',
    },
    {
      what: 'a gateway outside its prefix',
      call: () => engineer.add('prefix', { cidr: '10.77.48.0/24', gateway: '10.77.49.1' }),
      code: 'gateway-outside',
      pointer: '/gateway',
    },
    {
      what: 'a gateway of the other family',
      call: () => engineer.add('prefix', { cidr: '10.77.48.0/24', gateway: '2001:db8::1' }),
      code: 'gateway-outside',
      pointer: '/gateway',
    },
    {
      what: 'a gateway that is the network address',
      call: () => engineer.add('prefix', { cidr: '10.77.48.0/24', gateway: '10.77.48.0' }),
      code: 'gateway-unusable',
      pointer: '/gateway',
      words: /network/,
    },
    {
      what: 'a gateway that is the broadcast address',
      call: () => engineer.add('prefix', { cidr: '10.77.48.0/24', gateway: '10.77.48.255' }),
      code: 'gateway-unusable',
      pointer: '/gateway',
      words: /broadcast/,
    },
    {
      what: 'a pool outside its prefix',
      call: () => engineer.add('prefix', { cidr: '10.77.48.0/24', pool: '10.77.48.250-10.77.49.5' }),
      code: 'range-outside',
      pointer: '/pool',
    },
    {
      what: 'a pool over the gateway',
      call: () => engineer.edit('prefix', '10.77.16.0/24', { pool: '10.77.16.1-10.77.16.1' }),
      code: 'range-on-range',
      pointer: '/pool',
    },
    {
      what: 'a pool over what is held back',
      call: () => engineer.edit('prefix', '10.77.16.0/24', { pool: '10.77.16.5-10.77.16.20' }),
      code: 'range-on-range',
      pointer: '/pool',
    },
    {
      what: 'a VLAN of another site',
      call: () => engineer.edit('prefix', '10.77.16.0/24', { site: 'cob' }),
      code: 'site-differs',
      pointer: '/vlan',
    },
    {
      what: 'a prefix that would be renumbered',
      call: () => engineer.edit('prefix', '10.77.16.0/24', { cidr: '10.77.17.0/24' }),
      code: 'field-fixed',
      pointer: '/cidr',
    },
    {
      what: 'an address that no prefix holds',
      call: () => engineer.add('address', { address: '10.99.0.1' }),
      code: 'address-outside',
      pointer: '/address',
      words: /10\.99\.0\.0\/24/,
    },
    {
      what: 'the network address',
      call: () => engineer.add('address', { address: '10.77.16.0' }),
      code: 'address-unusable',
      pointer: '/address',
    },
    {
      what: 'an address of the pool',
      call: () => engineer.add('address', { address: '10.77.16.210' }),
      code: 'address-in-pool',
      pointer: '/address',
      words: /10\.77\.16\.200-10\.77\.16\.239/,
    },
    {
      what: 'an IPv4 address in IPv6 clothes',
      call: () => engineer.add('address', { address: '::ffff:10.77.16.11' }),
      code: 'address-mapped',
      pointer: '/address',
      words: /10\.77\.16\.11/,
    },
    {
      what: 'an address with a zone',
      call: () => engineer.add('address', { address: 'fe80::1%eth0' }),
      code: 'address-zone',
      pointer: '/address',
    },
    {
      what: 'an address outside the prefix that was named',
      call: () => engineer.call('address.propose', { query: { prefix: '10.77.16.0/24', from: '10.77.17.1' } }),
      code: 'address-outside-prefix',
      pointer: '/from',
    },
    {
      what: 'a position without a rack',
      call: () => engineer.add('device', { name: 'x', positionU: 3 }),
      code: 'position-without-rack',
      pointer: '/positionU',
    },
    {
      what: 'a position above the rack',
      call: () => engineer.add('device', { name: 'x', rack: 'ard/closet/w1', positionU: 13 }),
      code: 'position-outside',
      pointer: '/positionU',
    },
    {
      what: 'a site that is not that of the rack',
      call: () => engineer.add('device', { name: 'x', rack: 'ard/closet/w1', site: 'cob' }),
      code: 'site-differs',
      pointer: '/site',
    },
    {
      what: 'a stage that nobody can give by hand',
      call: () => engineer.call('device.stage', { params: { ref: 'ard-acc-1' }, body: { stage: 'serving' } }),
      code: 'stage-move',
    },
    {
      what: 'the stage as a plain field',
      call: () => engineer.edit('device', 'ard-acc-1', { stage: 'serving' }),
      code: 'field-unknown',
      pointer: '/stage',
    },
    {
      what: 'a record that does not exist',
      call: () => engineer.show('device', 'ard-acc-2'),
      code: 'not-found',
      words: /did you mean ard-acc-1/,
    },
    { what: 'a site that is in use', call: () => engineer.remove('site', 'ard'), code: 'in-use', words: /ard\/closet/ },
    {
      what: 'a page mark of another list',
      call: () => engineer.list('site', { after: 'bm9uc2Vuc2U' }),
      code: 'cursor-invalid',
      pointer: '/after',
    },
    {
      what: 'an unknown query field',
      call: () => engineer.list('site', { sitee: 'ard' }),
      code: 'field-unknown',
      pointer: '/sitee',
    },
    {
      what: 'a filter that leads nowhere',
      call: () => engineer.list('room', { site: 'ardl' }),
      code: 'ref-unknown',
      pointer: '/site',
    },
  ];
  for (const { what, call, code, pointer, words } of cases) {
    it(what, async () => {
      const sets = await countSets();
      const problem = await refusal(call());
      expect(problem.code).to.equal(code);
      if (pointer) expect(problem.errors?.map((e) => e.pointer)).to.include(pointer);
      if (words) expect(`${problem.detail} ${problem.remedy ?? ''}`).to.match(words);
      expect(await countSets(), 'nothing was written').to.equal(sets);
    });
  }

  const countSets = async () =>
    (await bench.clients.viewer.call('history.list', { query: { limit: 200 } })).items.length;

  it('all faults of many records in one answer, and none of them saved', async () => {
    const problem = await refusal(
      engineer.addAll('rack', [
        { room: 'ard/closet', name: 'w7' },
        { room: 'ard/closset', name: 'w8', heightU: 99 },
        { room: 'cob/closet', name: 'w9' },
        { name: 'w10' },
      ]),
    );
    expect(problem.errors?.map((e) => e.pointer)).to.have.members(['/1/heightU', '/2/room', '/3/room']);
    expect((await engineer.list('rack', { q: 'ard/closet/w7' })).items).to.deep.equal([]);
  });

  it('the same key twice in one request', async () => {
    const problem = await refusal(engineer.addAll('owner', [{ name: 'twice' }, { name: 'TWICE' }]));
    expect(problem.errors?.[0]).to.deep.include({ pointer: '/1/name', code: 'taken' });
  });

  it('a stale version, with both versions in the answer', async () => {
    const owner = await engineer.add('owner', { name: 'ferries', title: 'Ferries' });
    await engineer.edit('owner', 'ferries', { title: 'Ferry Operations' }, { version: owner.version });
    const problem = await refusal(engineer.edit('owner', 'ferries', { title: 'Boats' }, { version: owner.version }));
    expect(problem).to.include({ status: 412, code: 'stale', yours: 1 });
    expect(problem.current).to.include({ title: 'Ferry Operations', version: 2 });
    expect((problem as Problem & { seen: object }).seen).to.include({ title: 'Ferries', version: 1 });
    expect((await refusal(engineer.remove('owner', 'ferries', { version: 1 }))).code).to.equal('stale');
  });

  it('a full prefix, with what to do', async () => {
    await engineer.add('prefix', { cidr: '10.88.0.0/30' });
    for (const address of ['10.88.0.1', '10.88.0.2']) await engineer.add('address', { address });
    const problem = await refusal(engineer.call('address.assign', { body: { prefix: '10.88.0.0/30' } }));
    expect(problem).to.include({ status: 409, code: 'prefix-full' });
    expect(problem.remedy).to.match(/add another prefix/);
  });

  it('a prefix that would make an address its network address', async () => {
    await engineer.add('prefix', { cidr: '10.89.0.0/24' });
    await engineer.add('address', { address: '10.89.0.64' });
    expect(await refusal(engineer.add('prefix', { cidr: '10.89.0.64/26' }))).to.include({ code: 'prefix-edge' });
  });

  it('an area that would end up inside itself', async () => {
    await engineer.add('area', { name: 'outer' });
    await engineer.add('area', { name: 'inner', parent: 'outer' });
    expect(await refusal(engineer.edit('area', 'outer', { parent: 'inner' }))).to.include({ code: 'circle' });
  });

  it('an address in a VRF that is not that of its interface', async () => {
    await engineer.add('vrf', { name: 'wireless' });
    await engineer.add('prefix', { cidr: '10.77.16.0/24', vrf: 'wireless' });
    const problem = await refusal(
      engineer.add('address', { address: '10.77.16.30', vrf: 'wireless', interface: 'ard-acc-1:1/1' }),
    );
    expect(problem).to.include({ code: 'vrf-differs' });
  });
});
