/** What devices tell of themselves by SNMP, beside the way in by SSH. */
import { expect } from 'chai';
import { acquainted, fleet, rowOf, settled, type Fleet } from './bench.ts';

describe('SNMP beside the way in', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 2, quill: 0, shale: 0 });
    const device = f.lab.device('har-acc-1');
    await device.off();
    device.options.flash.kept += 'alert to 10.77.0.8 word harbour-ear\n';
    device.on();
    await acquainted(f.client);
  });
  after(() => f.end());

  const put = (setting: string, value: string | number | null, of = 'har-acc-1') =>
    f.client.call('value.put', { body: { setting, layer: 'device', of, mode: 'set', value } });
  const reach = async (device = 'har-acc-1') => {
    const run = await settled(f.client, await f.client.call('run.reach', { body: { devices: [device] } }));
    return rowOf(run, device);
  };
  const snmp = (row: Awaited<ReturnType<typeof reach>>) => row.rungs?.find(({ rung }) => rung === 'snmp');

  it('is not tried where the settings have neither word nor user', async () =>
    expect(snmp(await reach())).to.equal(undefined));

  it('tells name, uptime and identity, and no more than that is asked', async () => {
    await put('snmp.word', 'harbour-ear');
    const row = await reach();
    expect(row.outcome).to.equal('reached');
    expect(snmp(row)?.state).to.equal('holds');
    expect(snmp(row)?.detail).to.match(/^har-acc-1, up \d+ (s|min), LF-24 2\.4\.1, 1\.3\.6\.1\.4\.1\.32473\.1\.7$/);
    expect(JSON.stringify(row)).to.not.contain('harbour-ear');
  });

  it("stands in nobody's way: with another word the device is reached all the same", async () => {
    await put('snmp.word', 'another-ear');
    await put('access.connect-seconds', 1);
    const row = await reach();
    expect([row.outcome, snmp(row)?.state, snmp(row)?.detail]).to.deep.equal([
      'reached',
      'gives',
      'nothing came: it is off there, or the user or word is another',
    ]);
  });

  it('shows that a device is up whose SSH is shut', async () => {
    await put('snmp.word', 'harbour-ear');
    const device = f.lab.device('har-acc-1');
    device.options.faults.add('bare-only');
    await device.off();
    device.on();
    const row = await reach();
    expect([row.outcome, snmp(row)?.state]).to.deep.equal(['no contact', 'holds']);
  });

  it('takes what there is of ways to be proved, and nothing else', async () => {
    await put('snmp.user', 'ear', 'har-acc-2');
    await put('snmp.auth-key', 'a-long-enough-key', 'har-acc-2');
    await put('snmp.auth', 'sha512', 'har-acc-2');
    const wrong = await f.client
      .call('value.put', {
        body: { setting: 'snmp.auth', layer: 'device', of: 'har-acc-2', mode: 'set', value: 'sha5' },
      })
      .catch((error: { problem: { errors?: { code: string }[] } }) => error.problem.errors?.[0]?.code);
    expect(wrong).to.equal('value-choice');
    await put('access.connect-seconds', 1, 'har-acc-2');
    expect(snmp(await reach('har-acc-2'))?.detail).to.equal(
      'nothing came: it is off there, or the user or word is another',
    );
  });
});
