/** Sweeps: the addresses of a prefix gone through at a bounded rate; whoever is met for the first time learns no password that is in use. */
import { createServer, type Server } from 'node:net';
import { expect } from 'chai';
import { dial, parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import type { ReplyOf } from '@zpine/contract/routes';
import { newHostKey } from '@zpine/lab/ssh';
import ssh2 from 'ssh2';
import { eventually } from '../../trials/eventually.ts';
import { refusal } from '../service.ts';
import { addDevice, addressOf, fleet, PASS, USER, type Fleet } from './bench.ts';

const ONCE = 'meet-me-once';

describe('sweeps', function () {
  this.timeout(60_000);
  let f: Fleet;
  const rogues: { close: () => void }[] = [];
  before(async () => {
    f = await fleet({ furrow: 1, quill: 0, shale: 0 });
    addDevice(f.lab, 'furrow', 2, { password: ONCE });
    addDevice(f.lab, 'furrow', 3, { faults: ['other-password'] });
    addDevice(f.lab, 'quill', 4, { password: ONCE });
  });
  after(async () => {
    for (const rogue of rogues) rogue.close();
    await f.end();
  });

  const at = (address: string, port = 22) =>
    dial(
      f.dialMap.map((row) => mustParse(parseDialRow(row))),
      'default',
      { address, port },
    );
  const sweep = async (prefix: string, perSecond = 100): Promise<ReplyOf<'sweep.show'>> => {
    const { id } = await f.client.call('sweep.start', { body: { prefix, perSecond } });
    const params = { id: String(id) };
    const ended = async () => (await f.client.call('sweep.show', { params })).state === 'ended';
    await eventually(`sweep #${id} ends`, ended, { limitMs: 40_000, everyMs: 100 });
    return f.client.call('sweep.show', { params });
  };
  const put = (setting: string, value: unknown, layer: 'everywhere' | 'model' = 'everywhere', of?: string) =>
    f.client.call('value.put', {
      body: { setting, layer, ...(of ? { of } : {}), mode: 'set', value: value as string },
    });

  /** Shows a key, says yes to nobody, and remembers all that it is told. */
  async function rogue(address: string): Promise<string[]> {
    const learned: string[] = [];
    const key = newHostKey();
    const server = new ssh2.Server({ hostKeys: [key] }, (client) => {
      client.on('error', () => undefined);
      client.on('authentication', (context) => {
        if (context.method === 'password') learned.push(`${context.username} ${context.password}`);
        else if (context.method === 'keyboard-interactive')
          return context.prompt(['Password: '], (answers) => {
            learned.push(`${context.username} ${answers.join()}`);
            context.reject();
          });
        context.reject(['password', 'publickey', 'keyboard-interactive']);
      });
    });
    const place = at(address);
    await new Promise<void>((listening) => server.listen(place.port, place.address, () => listening()));
    rogues.push(server);
    return learned;
  }

  it('are off until the prefix says so, and never larger than what can be gone through', async () => {
    const off = await refusal(sweep('10.77.96.0/24'));
    expect([off.code, off.remedy]).to.deep.equal([
      'sweep-off',
      'zpine prefix edit 10.77.96.0/24 --sweep look, or sign-in where unknown hosts may be signed in on',
    ]);
    await f.client.add('prefix', { cidr: '2001:db8:77::/64', sweep: 'look' });
    expect((await refusal(sweep('2001:db8:77::/64'))).code).to.equal('sweep-large');
    const viewer = await refusal(f.clients.viewer.call('sweep.start', { body: { prefix: '10.77.96.0/24' } }));
    expect(viewer.code).to.equal('role-insufficient');
  });

  it('look: they go through what the records do not know, no faster than was said, and sign in on nobody', async () => {
    await f.client.edit('prefix', '10.77.96.0/24', { sweep: 'look' });
    const learned = await rogue('10.77.96.99');
    const plain: Server = createServer((socket) => socket.end());
    plain.listen(at('10.77.96.98').port, at('10.77.96.98').address);
    rogues.push(plain);
    const begun = Date.now();
    const seen = await sweep('10.77.96.0/24', 100);
    expect(Date.now() - begun).to.be.greaterThan(2000);
    expect([seen.total, seen.done, seen.known]).to.deep.equal([253, 253, 1]);
    expect(
      seen.found.map(({ address, rung, met }) => `${address} ${rung} ${met === null ? '-' : 'met'}`),
    ).to.deep.equal([
      `${addressOf('furrow', 2)} host-key -`,
      `${addressOf('furrow', 3)} host-key -`,
      '10.77.96.98 port -',
      '10.77.96.99 host-key -',
    ]);
    expect([seen.shut, seen.silent]).to.deep.equal([249, 0]);
    expect(learned).to.deep.equal([]);
    // A login that three refuse is tried no further: later there are two.
    for (const one of rogues.splice(0)) one.close();
  });

  it('sign in: by what is meant for first contact, and by nothing that devices in service use', async () => {
    const learned = await rogue('10.77.96.97');
    await f.client.edit('prefix', '10.77.96.0/24', { sweep: 'sign-in' });
    const none = await sweep('10.77.96.0/24');
    expect(none.remarks).to.have.length(1);
    expect(none.remarks[0]).to.match(/^there is no login to try/);
    await put('first-contact.user', USER);
    await put('first-contact.password', PASS);
    const inUse = await sweep('10.77.96.0/24');
    expect(inUse.remarks).to.deep.equal(['first contact is not tried: its password is in use by devices']);
    expect([inUse.found.filter(({ met }) => met !== null), learned]).to.deep.equal([[], []]);
    await put('first-contact.password', ONCE);
    const tried = await sweep('10.77.96.0/24');
    expect(learned).to.deep.equal([`${USER} ${ONCE}`]);
    expect(JSON.stringify(tried)).to.not.contain(ONCE);
    expect(
      tried.found.filter(({ met }) => met).map(({ address, rung, by, met }) => [address, rung, by, met?.name]),
    ).to.deep.equal([[addressOf('furrow', 2), 'dialect', 'first contact', 'har-acc-2']]);
    expect(tried.found.find(({ address }) => address === addressOf('furrow', 3))?.detail).to.match(
      /; first contact: netops was not let in/,
    );
  });

  it('propose devices with what they said of themselves, and take them in at a word', async () => {
    await f.client.add('vendor', { name: 'larkfield' });
    await f.client.add('model', { vendor: 'larkfield', name: 'lf-24', heightU: 1 });
    await f.client.add('prefix', { cidr: '10.77.97.0/28', sweep: 'sign-in' });
    const xr = await sweep('10.77.97.0/28');
    expect(xr.found.map(({ met }) => [met?.dialect, met?.name])).to.deep.equal([['quill', 'har-xr-4']]);
    const [newest] = (await f.client.call('sweep.list', { query: { prefix: '10.77.96.0/24' } })).items;
    const params = { id: String(newest?.id) };
    const could = await f.client.call('sweep.take', { params, body: {} });
    expect([could.applied, could.items.map(({ kind, key }) => `${kind} ${key}`)]).to.deep.equal([
      false,
      ['device har-acc-2', 'interface har-acc-2:management', 'box lf-24-1002', `address ${addressOf('furrow', 2)}`],
    ]);
    // A MAC that another record has stays there.
    await f.client.add('box', { serial: 'SPARE-1', model: 'larkfield/lf-24', mac: '02:00:00:60:00:02' });
    const done = await f.client.call('sweep.take', { params, body: { apply: true, labels: 'met' } });
    expect(done.faults).to.deep.equal([]);
    expect(await f.client.show('device', 'har-acc-2')).to.include({
      dialect: 'furrow',
      model: 'larkfield/lf-24',
      stage: 'unproved',
    });
    expect(await f.client.show('box', 'lf-24-1002')).to.include({
      device: 'har-acc-2',
      mac: null,
      note: 'it says that its MAC is 02:00:00:60:00:02, which another record has',
    });
    const twice = await f.client.call('sweep.take', { params, body: { apply: true } });
    expect([twice.faults, twice.counts]).to.deep.equal([[], { add: 0, edit: 0, same: 1 }]);
    // Known now: a sweep leaves it out.
    const again = await sweep('10.77.96.0/24');
    expect([again.known, again.found.some(({ address }) => address === addressOf('furrow', 2))]).to.deep.equal([
      2,
      false,
    ]);
  });

  it('take hosts by their addresses that only showed a key, and tell apart two that say the same name', async () => {
    await f.client.add('device', { name: 'har-xr-4' });
    const [newest] = (await f.client.call('sweep.list', { query: { prefix: '10.77.97.0/28' } })).items;
    const done = await f.client.call('sweep.take', { params: { id: String(newest?.id) }, body: { apply: true } });
    expect(done.faults).to.deep.equal([]);
    expect((await f.client.show('device', 'at-10-77-97-14')).note).to.equal('it says that it is har-xr-4');
    const [sweep96] = (await f.client.call('sweep.list', { query: { prefix: '10.77.96.0/24' } })).items;
    await f.client.call('sweep.take', {
      params: { id: String(sweep96?.id) },
      body: { apply: true, addresses: [addressOf('furrow', 3)] },
    });
    expect(await f.client.show('device', 'at-10-77-96-13')).to.include({ stage: 'unproved', dialect: null });
  });

  it('end when they are told to, or when the prefix says no', async () => {
    const { id } = await f.client.call('sweep.start', { body: { prefix: '10.77.96.0/24', perSecond: 2 } });
    const params = { id: String(id) };
    const going = await refusal(f.client.call('sweep.start', { body: { prefix: '10.77.96.0/24' } }));
    expect(going.code).to.equal('sweep-going');
    await f.client.call('sweep.stop', { params });
    await eventually('the sweep ends', async () => (await f.client.call('sweep.show', { params })).state === 'ended');
    const ended = await f.client.call('sweep.show', { params });
    expect(ended.done).to.be.lessThan(20);
    expect(ended.ended).to.equal('it was stopped');
    const next = await f.client.call('sweep.start', { body: { prefix: '10.77.96.0/24', perSecond: 2 } });
    const its = { id: String(next.id) };
    await eventually('it works', async () => (await f.client.call('sweep.show', { params: its })).done > 0);
    // Nobody is signed in on any more where that was forbidden.
    await f.client.edit('prefix', '10.77.96.0/24', { sweep: 'look' });
    await eventually('it ends', async () => (await f.client.call('sweep.show', { params: its })).state === 'ended');
    expect((await f.client.call('sweep.show', { params: its })).done).to.be.lessThan(20);
  });
});
