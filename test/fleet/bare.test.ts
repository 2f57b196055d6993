/** Devices that have no SSH: signed in on without encryption, only where somebody permits it and says why. */
import { expect } from 'chai';
import { acquainted, fleet, PASS, rowOf, settled, USER, type Fleet } from './bench.ts';

const WHY = 'no SSH before the swap in spring';

describe('lines without encryption', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 3, quill: 1, shale: 0 });
    await acquainted(f.client);
    const bare = f.lab.device('har-acc-2');
    bare.options.faults.add('bare-only');
    await bare.off();
    bare.on();
  });
  after(() => f.end());

  const put = (setting: string, value: string, of: string) =>
    f.client.call('value.put', { body: { setting, layer: 'device', of, mode: 'set', value } });
  const reach = async (device: string) => {
    const run = await settled(f.client, await f.client.call('run.reach', { body: { devices: [device] } }));
    return rowOf(run, device);
  };
  const state = (row: Awaited<ReturnType<typeof reach>>) =>
    row.rungs?.map(({ rung, state: how }) => `${rung} ${how}`).slice(2);

  it('are not used by themselves, and never by the login of SSH', async () => {
    const shut = await reach('har-acc-2');
    expect([shut.outcome, shut.detail]).to.deep.equal(['no contact', 'Port: port 22 of 10.77.96.12 is shut']);
    await put('access.bare', WHY, 'har-acc-2');
    const without = await reach('har-acc-2');
    expect(without.detail).to.equal(
      `Sign-in: without encryption only access.bare-user and access.bare-password are used, and one is missing; without encryption: ${WHY}`,
    );
  });

  it('are marked wherever they are used, with why', async () => {
    await put('access.bare-user', USER, 'har-acc-2');
    await put('access.bare-password', PASS, 'har-acc-2');
    const row = await reach('har-acc-2');
    expect([row.outcome, row.hostKey], row.detail).to.deep.equal(['reached', null]);
    expect(state(row)).to.deep.equal([
      'port holds',
      'exchange not tried',
      'host-key not tried',
      'sign-in holds',
      'privilege holds',
      'dialect holds',
    ]);
    expect(row.rungs?.find(({ rung }) => rung === 'exchange')?.detail).to.equal(`without encryption: ${WHY}`);
    expect(row.detail).to.equal(`LF-24, version 2.4.1, LF-24-1002; without encryption: ${WHY}`);
    const body = { devices: ['har-acc-1', 'har-acc-2'], asks: [{ question: 'version' }] };
    const asked = await settled(f.client, await f.client.call('run.ask', { body }));
    expect(rowOf(asked, 'har-acc-2').answers?.[0]?.rows[0]?.name).to.equal('har-acc-2');
    expect(rowOf(asked, 'har-acc-2').detail).to.contain(`without encryption: ${WHY}`);
    expect(rowOf(asked, 'har-acc-1').detail).to.not.contain('encryption');
  });

  it('carry what SSH carries: a capture, an errand', async () => {
    const captured = await settled(f.client, await f.client.call('run.capture', { body: { devices: ['har-acc-2'] } }));
    expect(rowOf(captured, 'har-acc-2').outcome).to.equal('captured');
    const body = { devices: ['har-acc-2'], lines: 'journal to 10.77.0.8' };
    const looked = await settled(f.client, await f.client.call('run.errand', { body }));
    expect(looked.toDo).to.equal(1);
    await f.client.call('run.go', { params: { id: String(looked.id) }, body: { count: 1 } });
    const done = await settled(f.client, looked);
    expect(rowOf(done, 'har-acc-2').outcome).to.equal('brought over');
  });

  it('are not told the second password, which is for SSH', async () => {
    await put('access.second', 'up-the-mast', 'har-acc-2');
    const row = await reach('har-acc-2');
    const privilege = row.rungs?.find(({ rung }) => rung === 'privilege');
    expect(privilege?.detail).to.equal('no second password in its access set: none was asked for');
  });

  it('turn away who has another password, and say so', async () => {
    await put('access.bare-password', 'not-this-one', 'har-acc-2');
    expect((await reach('har-acc-2')).detail).to.match(
      /^Sign-in: netops was not let in, without encryption; without encryption: /,
    );
  });

  it('need a sheet that says how they ask', async () => {
    for (const [setting, value] of [
      ['access.bare', WHY],
      ['access.bare-user', USER],
      ['access.bare-password', PASS],
    ] as const)
      await put(setting, value, 'har-xr-1');
    expect((await reach('har-xr-1')).detail).to.match(
      /^(Port: port 23 of .* is shut|Key exchange: the sheet of its dialect)/,
    );
  });
});
