/** A box that runs somewhere and only talks: met, recognised, given its address for good, and brought into service. */
import { createSocket } from 'node:dgram';
import { expect } from 'chai';
import { keptOf } from '@zpine/lab/kept';
import type { BodyIn } from '@zpine/contract/routes';
import { eventually } from '../../trials/eventually.ts';
import { refusal } from '../service.ts';
import { onboarding, serves, type Onboarding } from './bench.ts';

const PREFIX = '10.77.64.0/24';
/** What a device uses by then is tried on nobody. */
const OTHER = 'first-light-2';
const LOGIN = { user: 'first', password: 'first-light-1' };

describe('strangers that talk', function () {
  this.timeout(90_000);
  let o: Onboarding;
  before(async () => {
    o = await onboarding();
    await put({ setting: 'first-contact.user', layer: 'everywhere', value: LOGIN.user });
    await put({ setting: 'first-contact.password', layer: 'everywhere', value: LOGIN.password });
    for (const [n, at] of [
      [1, 220],
      [2, 221],
      [3, 222],
    ] as const) {
      const kept = keptOf.furrow({
        ...{ name: `new-${n}`, address: `10.77.64.${at}/24`, gateway: '10.77.64.1', timeServers: [] },
        ...LOGIN,
        ...(n === 1 ? {} : { password: OTHER }),
      });
      o.lab.add({
        ...{ name: `talker-${n}`, model: 'LF-24', serial: `LF24-9100-${n}`, mac: `02:00:00:91:00:0${n}`, kept },
        hears: [{ on: '1/1', neighbour: 'mos-xr-1', port: 'cu2' }],
      });
      o.lab.device(`talker-${n}`).on();
    }
  });
  after(() => o.end());

  const put = (body: BodyIn<'value.put'>) => o.client.call('value.put', { body });
  const says = (from: string, text: string): Promise<void> =>
    new Promise((resolve) => {
      const socket = createSocket('udp4');
      const to = o.at('10.77.0.10', 514);
      socket.bind(0, o.at(from, 0).address, () =>
        socket.send(`<13>${text}`, to.port, to.address, () => socket.close(() => resolve())),
      );
    });
  const at = async (address: string, settled: 'true' | 'false' = 'false') =>
    (await o.client.call('stranger.list', { query: { settled } })).items.find((one) => one.address === address);
  const heard = async (address: string) => {
    await says(address, 'hello from the quay');
    return eventually(`${address} is on the list`, () => at(address), { limitMs: 5000, everyMs: 50 });
  };
  const met = (address: string) =>
    eventually(
      `${address} was met`,
      async () => {
        const one = (await at(address)) ?? (await at(address, 'true'));
        return one?.serial !== null && one !== undefined && one;
      },
      { limitMs: 15_000, everyMs: 80 },
    );

  it('are not signed in to where their prefix does not permit it', async () => {
    const stranger = await heard('10.77.64.220');
    const params = { id: String(stranger.id) };
    expect((await refusal(o.client.call('stranger.meet', { params, body: {} }))).errors?.[0]?.code).to.equal(
      'sweep-off',
    );
    const sweeps = await o.client.call('sweep.list', { query: {} });
    expect(sweeps.items).to.deep.equal([]);
  });

  it('are met by one verb, recognised, keep their address, and serve with their own edition', async () => {
    await o.client.edit('prefix', PREFIX, { sweep: 'sign-in' });
    const stranger = await heard('10.77.64.220');
    const params = { id: String(stranger.id) };
    await o.client.call('stranger.meet', { params, body: {} });
    const known = await met('10.77.64.220');
    expect(known).to.include({ serial: 'LF24-9100-1', vendorClass: 'LF-24 furrow 2.4.1', mac: '02:00:00:91:00:01' });
    expect(known.says).to.equal('ssh: new-1, LF-24 furrow 2.4.1');
    const device = 'mos-acc-90';
    await o.client.add('device', { name: device, duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
    await o.client.edit('interface', `${device}:1/1`, { mode: 'trunk', tagged: '304' });
    expect((await at('10.77.64.220'))?.candidates.find((one) => one.device === device)?.why).to.contain(
      'the model fits',
    );
    await o.client.call('stranger.recognise', { params, body: { device, keepAddress: true } });
    const { management } = await o.client.call('device.overview', { params: { ref: device } });
    expect(management?.address).to.contain('10.77.64.220');
    const { pool, quarantine } = await o.client.show('prefix', PREFIX);
    expect([pool, quarantine]).to.include('10.77.64.200-10.77.64.219, 10.77.64.221-10.77.64.239');
    await put({ setting: 'access.user', layer: 'device', of: device, value: LOGIN.user });
    await put({ setting: 'access.password', layer: 'device', of: device, value: LOGIN.password });
    await put({ setting: 'users', layer: 'device', of: device, mode: 'add', value: { [LOGIN.user]: LOGIN.password } });
    const { number } = await o.client.call('edition.make', { params: { ref: device }, body: {} });
    const published = { ref: device, number: String(number) };
    await o.client.call('edition.publish', { params: published, body: { openHours: 1 } });
    const settled = async (id: number) =>
      eventually(
        `run #${id} stands still`,
        async () => {
          const run = await o.client.call('run.show', { params: { id: String(id) }, query: {} });
          return (run.state === 'ended' || run.state === 'previewed') && run;
        },
        { limitMs: 20_000, everyMs: 60 },
      );
    const reached = await settled((await o.client.call('run.reach', { body: { devices: [device] } })).id);
    await o.client.call('hostKey.accept', { body: { run: reached.id } });
    const looked = await settled((await o.client.call('run.push', { body: { devices: [device] } })).id);
    await o.client.call('run.go', { params: { id: String(looked.id) }, body: { count: looked.toDo } });
    const pushed = await settled(looked.id);
    expect(pushed.counts, JSON.stringify(pushed.rows.map(({ detail }) => detail))).to.deep.equal({ 'brought over': 1 });
    // It is expected, and says something of itself: it is looked at, and found as it should be.
    await says('10.77.64.220', 'brought over');
    await serves(o.client, device);
  });

  it('are met by themselves where a rule says so, so many a day and only those that are meant', async () => {
    await put({ setting: 'first-contact.password', layer: 'everywhere', value: OTHER });
    const fitted = 'mos-acc-91';
    await o.client.add('device', { name: fitted, duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
    await o.client.add('box', { serial: 'LF24-9100-2', model: 'larkfield/lf-24', device: fitted });
    await o.client.edit('prefix', PREFIX, { meetsADay: 2, meets: 'quay' });
    await heard('10.77.64.221');
    // Its box was fitted to a device that waits: nobody has to say which one it is.
    const settled = await eventually('it is settled', () => at('10.77.64.221', 'true'), {
      limitMs: 15_000,
      everyMs: 80,
    });
    expect(settled).to.include({ settledAs: 'device', device: fitted, serial: 'LF24-9100-2' });
    // Two a day are two a day: one was met by hand, one by itself.
    await heard('10.77.64.222');
    await new Promise((resolve) => setTimeout(resolve, 2500));
    expect(await at('10.77.64.222')).to.include({ serial: null, metAt: null });
    await o.client.edit('prefix', PREFIX, { meetsADay: 9, meets: 'tidal' });
    await new Promise((resolve) => setTimeout(resolve, 1500));
    expect((await at('10.77.64.222'))?.metAt).to.equal(null);
    await o.client.edit('prefix', PREFIX, { meets: null });
    await met('10.77.64.222');
  });
});
