/** A box is swapped: by the port that the spare is plugged into, and by its serial; looked at before, during and after. */
import { expect } from 'chai';
import type { DeviceInput } from '@zpine/lab/lab';
import type { ShownSwap } from '@zpine/contract/swapRoutes';
import { eventually } from '../../trials/eventually.ts';
import { refusal } from '../service.ts';
import { another, ardle, onboarding, prepare, serves, type Onboarding } from './bench.ts';

const desk = (port: string, n: number) => ({ on: port, mac: `00:00:5e:00:53:0${n}`, port: '1' });
const uplink = { on: '1/24', neighbour: 'ard-xr-1', port: 'cu2' };
const spare: DeviceInput = {
  name: 'spare',
  model: 'LF-24',
  serial: 'LF24-0201-11',
  mac: '00:00:5e:00:53:e1',
  relay: '10.77.16.1',
  circuit: 'ard-xr-1:cu2',
};

describe('a swap', function () {
  this.timeout(120_000);
  let o: Onboarding;
  let id: string;
  before(async () => {
    o = await onboarding();
    o.lab.add({ ...ardle, hears: [uplink, desk('1/1', 1), desk('1/2', 2)] });
    o.lab.device('ardle').on();
    await serves(o.client, 'ard-acc-1');
  });
  after(() => o.end());

  const show = (of = id): Promise<ShownSwap> => o.client.call('swap.show', { params: { id: of } });
  const until = (words: string, is: (swap: ShownSwap) => boolean, of = id): Promise<ShownSwap> =>
    eventually(
      `the swap ${words}`,
      async () => {
        const swap = await show(of);
        return is(swap) && swap;
      },
      { limitMs: 30_000 },
    );
  const start = (ref: string, body: { box?: string } = {}) => o.client.call('swap.start', { params: { ref }, body });

  it('is begun while the old box still answers: what hangs where is asked for', async () => {
    const begun = await start('ard-acc-1');
    id = String(begun.id);
    expect(begun).to.include({ state: 'begun', oldBox: 'LF24-0188-01', newBox: null, findings: null });
    expect(begun.spares.map(({ box }) => box)).to.have.members(['LF24-0201-11', 'LF24-0201-12']);
    const seen = await until('has asked', ({ before }) => before.at !== null);
    expect(seen.before.up).to.be.at.least(3);
    expect(seen.before.version).to.be.a('string');
    expect(seen.cableList.map(({ port, farEnd }) => [port, farEnd])).to.deep.include(['1/24', 'ard-xr-1:cu2']);
  });

  it('is one at a time; a spare is nobody else’s, and no box swaps itself', async () => {
    expect((await refusal(start('ard-acc-1'))).code).to.equal('swap-open');
    const fit = (box: string) => o.client.call('swap.fit', { params: { id }, body: { box } });
    expect((await refusal(fit('LF24-0188-01'))).code).to.equal('swap-same-box');
    expect((await refusal(fit('LF24-0188-02'))).code).to.equal('box-fitted');
    expect((await refusal(fit('LF48-0031-04'))).code).to.equal('box-fitted');
    expect((await refusal(start('cob-tix-9'))).code).to.equal('not-found');
    // What speaks against a spare is said before anything is begun.
    expect((await refusal(start('cob-acc-1', { box: 'LF48-0031-04' }))).code).to.equal('box-fitted');
    expect((await refusal(start('cob-acc-1', { box: 'LF24-0188-02' }))).code).to.equal('swap-same-box');
    // Nothing of it was done.
    expect(await o.client.show('box', 'LF24-0188-01')).to.include({ condition: 'fitted', device: 'ard-acc-1' });
    expect((await refusal(o.client.call('swap.close', { params: { id }, body: {} }))).code).to.equal('swap-early');
    expect((await refusal(o.client.call('swap.takeBack', { params: { id }, body: {} }))).code).to.equal('swap-early');
  });

  it('is begun by an installer only where the device lets nobody in', async () => {
    const { installer, viewer } = o.clients;
    const params = { ref: 'ard-acc-1' };
    expect((await refusal(viewer.call('swap.start', { params, body: {} }))).code).to.equal('role-insufficient');
    await o.client.call('swap.callOff', { params: { id }, body: {} });
    expect((await refusal(installer.call('swap.start', { params, body: {} }))).code).to.equal('reached-not-yours');
    const begun = await start('ard-acc-1');
    id = String(begun.id);
    await until('has asked', ({ before }) => before.at !== null);
  });

  it('takes the spare that is plugged into the same port, by itself, through a lost power supply', async () => {
    await o.lab.device('ardle').off();
    // Two cables are in one another's sockets.
    o.lab.add({ ...spare, hears: [uplink, desk('1/2', 1), desk('1/1', 2)] });
    o.lab.device('spare').on();
    await until('is booting', ({ state }) => state !== 'begun');
    await o.lab.device('spare').off();
    o.lab.device('spare').on();
    const serving = await until('serves', ({ state, after }) => state === 'serving' && after !== null);
    expect(serving).to.include({ newBox: 'LF24-0201-11', oldBoxIs: 'faulty' });
    expect(serving.downSeconds).to.be.a('number');
    expect(await o.client.show('box', 'LF24-0201-11')).to.include({ device: 'ard-acc-1', condition: 'fitted' });
  });

  it('says which cables are exchanged and which is not in, until they are right', async () => {
    const wrong = await until('found them', ({ findings }) => (findings ?? 0) > 0);
    expect(wrong.after?.findings).to.deep.equal(['1/1 and 1/2 are exchanged']);
    o.lab.device('spare').options.hears = [uplink, desk('1/1', 1), desk('1/2', 2)];
    await o.client.call('swap.look', { params: { id }, body: {} });
    const right = await until('finds all as it was', ({ findings }) => findings === 0);
    expect(right.next).to.equal('zpine swap close ard-acc-1');
    o.lab.device('spare').options.hears = [desk('1/1', 1), desk('1/2', 2)];
    await o.client.call('swap.look', { params: { id }, body: {} });
    const dark = await until('sees the uplink go', ({ findings }) => findings === 1);
    expect(dark.after?.findings[0]).to.match(/^1\/24 is dark: cable .+ not in\? It leads to ard-xr-1:cu2$/);
    o.lab.device('spare').options.hears = [uplink, desk('1/1', 1), desk('1/2', 2)];
    await o.client.call('swap.look', { params: { id }, body: {} });
    await until('finds all as it was again', ({ findings }) => findings === 0);
  });

  it('has its cables ticked off, and the ticks taken back', async () => {
    const tick = (ports: string[], done = true) =>
      o.client.call('swap.tick', { params: { id }, body: { ports, done } });
    const ticked = await tick(['1/24']);
    expect(ticked.ticked).to.equal(1);
    expect(ticked.cableList.find(({ port }) => port === '1/24')?.ticked?.by).to.equal('admin');
    expect((await tick(['1/24'], false)).ticked).to.equal(0);
    expect((await refusal(tick(['9/99']))).code).to.equal('not-found');
    expect((await refusal(tick(['cob-acc-1:1/1']))).code).to.equal('not-found');
  });

  it('is closed with what becomes of the old box, and its report stays', async () => {
    const closed = await o.client.call('swap.close', { params: { id }, body: { oldBox: 'retired' } });
    // Nothing that changes later changes the report.
    await o.client.edit('box', 'LF24-0188-01', { condition: 'stock' });
    expect(await show()).to.deep.equal(closed);
    expect(closed).to.include({ state: 'closed', findings: 0, oldBoxIs: 'retired', next: null });
    expect((await refusal(o.client.call('swap.close', { params: { id }, body: {} }))).code).to.equal('swap-over');
    const { items } = await o.client.call('swap.list', { query: { open: 'true' } });
    expect(items).to.deep.equal([]);
  });

  it('goes by serial, and is taken back while the old box is there', async () => {
    const { device, box } = await another(o);
    await prepare(o, device);
    o.lab.device(box).on();
    await serves(o.client, device);
    const old = (await o.client.list('box', { device })).items[0];
    const begun = await start(device, { box: 'LF24-0201-12' });
    const own = String(begun.id);
    // The old box is asked before it goes.
    expect(begun).to.include({ state: 'begun', newBox: null });
    const fitted = await until('has its spare', ({ state }) => state === 'booting', own);
    expect(fitted).to.include({ newBox: 'LF24-0201-12', oldBoxIs: 'faulty' });
    expect(fitted.before.at).to.not.equal(null);
    expect((await refusal(o.client.call('swap.callOff', { params: { id: own }, body: {} }))).code).to.equal(
      'swap-late',
    );
    const early = o.client.call('swap.close', { params: { id: own }, body: {} });
    expect((await refusal(early)).code).to.equal('swap-not-serving');
    const back = await o.client.call('swap.takeBack', { params: { id: own }, body: {} });
    expect(back).to.include({ state: 'taken back', oldBoxIs: 'fitted' });
    expect(await o.client.show('box', 'LF24-0201-12')).to.include({ device: null, condition: 'stock' });
    expect(await o.client.show('box', old?.key ?? '')).to.include({ device, condition: 'fitted' });
    await o.lab.device(box).off();
    o.lab.device(box).erase();
    o.lab.device(box).on();
    await serves(o.client, device);
  });
});
