import { expect } from 'chai';
import { eventually } from '../../trials/eventually.ts';
import type { DiagnosisCode } from '@zpine/core/arrival/diagnosis';
import type { Fault } from '@zpine/lab/faults';
import { transact } from '../../service/store/transact.ts';
import { actor, refusal } from '../service.ts';
import { another, diagnosed, onboarding, prepare, serves, until, type Onboarding } from './bench.ts';

describe('an arrival that does not go on says why', () => {
  let o: Onboarding;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
  });
  after(() => o.end());

  const cases: [Fault, DiagnosisCode, RegExp][] = [
    ['deaf', 'no-packet', /no DHCP packet/],
    ['stored', 'no-packet', /no DHCP packet/],
    ['ignores-file', 'no-file-request', /did not ask for its file/],
    ['wrong-file', 'file-refused', /"startup.txt".*has no such file/],
    ['truncated', 'file-broken', /ended early: no room/],
    ['mute', 'no-sign-of-life', /neither called home nor answered/],
    ['other-password', 'ssh-refused', /zpine was not let in/],
    ['rejects-line', 'line-rejected', /socket 1\/1 \(internal fault\)/],
    ['drops-line', 'differs', /missing: clock follow/],
    ['no-room', 'not-kept', /no room in flash/],
  ];
  for (const [fault, code, words] of cases) {
    it(`${fault}: ${code}`, async () => {
      const { device, box } = await another(o, [fault]);
      await prepare(o, device);
      o.lab.device(box).on();
      const arrival = await diagnosed(o.client, device, code);
      expect(arrival.diagnosis?.detail).to.match(words);
      expect(arrival.diagnosis?.remedy).not.to.equal('');
      expect(arrival.diagnosis?.since).to.match(/^\d{4}-/);
      const { items } = await o.client.call('today');
      expect(items.some((i) => i.code === 'stuck' && i.key === device)).to.equal(true);
      await o.lab.device(box).off();
    });
  }

  it('a device that does not call home is found by its first SSH answer', async () => {
    const { device, box } = await another(o, ['silent']);
    await prepare(o, device);
    o.lab.device(box).on();
    const arrival = await serves(o.client, device);
    expect(arrival.milestones.map((m) => m.name)).not.to.include('called home');
  });

  it('a device that does not keep by itself is told to', async () => {
    const { device, box } = await another(o, ['forgets']);
    await prepare(o, device);
    o.lab.device(box).on();
    const arrival = await serves(o.client, device);
    expect(arrival.milestones.find((m) => m.name === 'kept')?.evidence.by).to.equal('our command');
    expect(o.lab.state(box).kept).to.equal(true);
  });

  it('what was wrong is over once it is mended', async () => {
    const { device, box } = await another(o, ['other-password']);
    await prepare(o, device);
    o.lab.device(box).on();
    const stuck = await diagnosed(o.client, device, 'ssh-refused');
    o.lab.device(box).options.faults.clear();
    await o.clients.installer.call('arrival.retry', { params: { id: String(stuck.id) }, body: {} });
    expect((await serves(o.client, device)).diagnosis).to.equal(null);
  });

  it('another host key than the pinned one stops the session until somebody forgets it', async () => {
    const { device, box } = await another(o);
    await prepare(o, device);
    o.lab.device(box).on();
    await serves(o.client, device);
    await o.lab.device(box).off();
    o.lab.device(box).erase();
    const other = await another(o);
    o.lab.device(box).options.flash.hostKey = o.lab.device(other.box).options.flash.hostKey;
    await o.client.call('arrival.open', { params: { ref: device }, body: { hours: 1 } });
    o.lab.device(box).on();
    const stuck = await diagnosed(o.client, device, 'host-key-changed');
    expect(stuck.diagnosis?.detail).to.match(/SHA256:\S+ was shown, SHA256:\S+ is pinned/);
    await o.client.call('device.forgetHostKey', { params: { ref: device } });
    await o.client.call('arrival.retry', { params: { id: String(stuck.id) }, body: {} });
    await serves(o.client, device);
  });

  it('a device with a configuration of its own asks for nothing, and is found where it answers', async () => {
    const { device, box } = await another(o);
    await prepare(o, device);
    o.lab.device(box).on();
    await serves(o.client, device);
    o.lab.device(box).options.faults.add('other-password');
    for (const stage of ['faulty', 'unproved'] as const)
      await o.client.call('device.stage', { params: { ref: device }, body: { stage } });
    await o.client.call('arrival.open', { params: { ref: device }, body: { hours: 1 } });
    const stuck = await diagnosed(o.client, device, 'runs-already');
    expect(stuck.diagnosis?.detail).to.contain('zpine was not let in');
    // Erased, it boots.
    await o.lab.device(box).off();
    o.lab.device(box).options.faults.clear();
    o.lab.device(box).erase();
    o.lab.device(box).on();
    await serves(o.client, device);
  });

  it('a model that is known to start slowly is given longer for its sign of life', async () => {
    // Three of the past took a minute from their file to their call home.
    await transact(o.store, actor, 'test', async (tx) => {
      const device = await tx.one<{ id: number }>("SELECT id FROM device WHERE natural_key = 'ard-acc-1'");
      for (let n = 0; n < 3; n += 1) {
        const at = new Date(Date.now() - 3_600_000);
        const [id = 0] = await tx.insertRows('arrival', [
          {
            device_id: device?.id,
            device_key: 'ard-acc-1',
            state: '{}',
            phase: 'closed',
            token: `past-${n}`,
            opened_at: at,
            closes_at: at,
            ended_at: at,
            opened_by: 'test',
            updated_at: at,
          },
        ]);
        for (const [seq, name, seconds] of [
          [1, 'file complete', 0],
          [2, 'called home', 60],
        ] as const)
          await tx.insertRows(
            'milestone',
            [{ arrival_id: id, seq, name, at: new Date(at.getTime() + seconds * 1000), evidence: '{}' }],
            '',
          );
      }
    });
    const { device, box } = await another(o, ['mute']);
    await prepare(o, device);
    o.lab.device(box).on();
    const living = await until(o.client, device, (a) => a.phase === 'living');
    const row = await transact(o.store, actor, 'test', (tx) =>
      tx.one<{ seconds: number }>(
        'SELECT TIMESTAMPDIFF(SECOND, updated_at, limit_at) AS seconds FROM arrival WHERE id = ?',
        [living.id],
      ),
    );
    expect(Number(row?.seconds)).to.be.within(80, 90);
    await o.lab.device(box).off();
    await transact(o.store, actor, 'test', (tx) => tx.execute("DELETE FROM arrival WHERE token LIKE 'past-%'"));
  });

  it('wiped with a window it begins once more from the factory state, with a key that nobody has seen', async () => {
    const { device, box } = await another(o);
    const other = await another(o);
    await prepare(o, device);
    o.lab.device(box).on();
    const first = await serves(o.client, device);
    // It makes itself another key when it begins anew.
    o.lab.device(box).options.flash.hostKey = o.lab.device(other.box).options.flash.hostKey;
    const run = await o.client.call('run.operation', { body: { devices: [device], operation: 'wipe', hours: 1 } });
    const id = String(run.id);
    const state = (wanted: string) =>
      eventually(`the run is ${wanted}`, async () => {
        const seen = await o.client.call('run.show', { params: { id } });
        return seen.state === wanted && seen;
      });
    await state('previewed');
    await o.client.call('run.go', { params: { id }, body: { count: 1 } });
    const ended = await state('ended');
    expect(ended.rows[0]?.detail).to.equal('its memory is empty, and it restarts; its arrival window is open for 1 h');
    const second = await until(
      o.client,
      device,
      (a) => a.id !== first.id && a.endedAt !== null && a.stage === 'serving',
    );
    expect(second.milestones.map((m) => m.name)).to.include.members(['powered', 'file complete', 'kept', 'serving']);
  });

  it('a login of its first steps that is good still keeps it from serving', async () => {
    for (const [setting, value] of [
      ['access.factory-user', 'works'],
      ['access.factory-password', 'works'],
    ] as const)
      await o.client.call('value.put', { body: { setting, layer: 'model', of: 'larkfield/lf-24', value } });
    const { device, box } = await another(o, ['factory-open']);
    await prepare(o, device);
    o.lab.device(box).on();
    const stuck = await diagnosed(o.client, device, 'left-open');
    expect(stuck.diagnosis?.detail).to.equal('the factory login of its model lets somebody in still, as user works');
    expect(stuck.milestones.map((m) => m.name))
      .to.include('matches')
      .and.not.to.include('kept');
    o.lab.device(box).options.faults.clear();
    await o.client.call('arrival.retry', { params: { id: String(stuck.id) }, body: {} });
    await serves(o.client, device);
    const { device: shut, box: other } = await another(o);
    await prepare(o, shut);
    o.lab.device(other).on();
    await serves(o.client, shut);
  });

  it('a device that runs already is proved without a boot, and is what it was where that fails', async () => {
    const { device, box } = await another(o);
    const number = await prepare(o, device);
    o.lab.device(box).on();
    await serves(o.client, device);
    const prove = { params: { ref: device }, body: {} };
    expect((await refusal(o.client.call('device.prove', prove))).code).to.equal('serves-already');
    await o.client.call('device.stage', { params: { ref: device }, body: { stage: 'faulty' } });
    await o.client.call('device.stage', { params: { ref: device }, body: { stage: 'unproved' } });
    expect(number).to.equal(1);
    o.lab.device(box).options.faults.add('other-password');
    await o.clients.installer.call('device.prove', prove);
    const stuck = await diagnosed(o.client, device, 'ssh-refused');
    expect(stuck.milestones.map((m) => m.name)).not.to.include('powered');
    await o.client.call('arrival.close', { params: { ref: device } });
    expect((await o.client.show('device', device)).stage).to.equal('unproved');
    o.lab.device(box).options.faults.clear();
    await o.client.call('device.prove', prove);
    const arrival = await serves(o.client, device);
    expect(arrival.milestones.map((m) => m.name)).to.deep.equal(['reached', 'applied', 'matches', 'kept', 'serving']);
  });

  it('other hardware that answers at its address is named', async () => {
    const { device, box } = await another(o);
    await prepare(o, device);
    o.lab.device(box).options.particulars.serial = 'LF24-9999-99';
    o.lab.device(box).options.particulars.mac = '02:00:00:00:ff:01';
    const { items } = await o.client.list('box', { device });
    await o.client.edit('box', items[0]?.key ?? '', { mac: '02:00:00:00:ff:01' });
    o.lab.device(box).on();
    const stranger = await eventually(
      'it is on the list',
      async () => (await o.client.call('stranger.list', { query: {} })).items.find((s) => s.serial === 'LF24-9999-99'),
      { limitMs: 5000, everyMs: 50 },
    );
    expect(stranger.conflict).to.match(/it says serial LF24-9999-99, but MAC 02:00:00:00:ff:01 is that of box/);
    await o.lab.device(box).off();
  });
});
