/** The way into forty devices of three dialects, rung by rung; each fault is found on its rung. */
import { expect } from 'chai';
import type { RungFound } from '@zpine/core/fleet/rungs';
import { acquainted, addDevice, fleet, paste, rowOf, settled, type Fleet } from './bench.ts';
import { Refusal } from '@zpine/contract/errors';
import { mustNotServe } from '../../service/app/access/sites.ts';
import type { User } from '../../service/app/access/who.ts';
import { mustFind } from '../../service/app/records/refs.ts';
import { transact } from '../../service/store/transact.ts';
import { actor, refusal } from '../service.ts';

const refused = (work: Promise<unknown>): Promise<string | undefined> =>
  work.then(
    () => undefined,
    (error: unknown) => {
      if (error instanceof Refusal) return error.code;
      throw error;
    },
  );

describe('reaching the fleet', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 18, quill: 10, shale: 12 });
  });
  after(() => f.end());

  const reach = async (body: { where?: string; devices?: string[] }) =>
    settled(f.client, await f.client.call('run.reach', { body }));
  const stuck = (rungs: RungFound[] | undefined) => {
    const rung = rungs?.find(({ state }) => state === 'gives' || state === 'open');
    return `${rung?.rung ?? ''}: ${rung?.detail ?? ''}`;
  };

  it('shows the keys of forty devices that nobody has met, and sends no password to them', async () => {
    const run = await reach({ where: 'stage=unproved' });
    expect({ expected: run.expected, counts: run.counts }).to.deep.equal({
      expected: 40,
      counts: { 'no contact': 40 },
    });
    for (const row of run.rows) {
      expect(row.rungs?.map(({ rung, state }) => `${rung} ${state}`)).to.deep.equal([
        'name holds',
        'answers holds',
        'port holds',
        'exchange holds',
        'host-key open',
        'sign-in not tried',
        'privilege not tried',
        'dialect not tried',
      ]);
      expect(row.hostKey?.fingerprint).to.match(/^SHA256:/);
    }
    const { accepted } = await f.client.call('hostKey.accept', { body: { run: run.id } });
    expect(accepted).to.have.length(40);
    const again = await reach({ where: 'stage=unproved' });
    expect(again.counts).to.deep.equal({ reached: 40 });
    expect(rowOf(again, 'har-xr-3').rungs?.at(-1)?.detail).to.equal('CB-7, version 2.4.1, CB-7-1003');
  });

  it('finds who is away, whose port is shut, and who knows another password', async () => {
    await f.lab.device('har-acc-2').off();
    const wrong = f.lab.device('har-wb-2');
    wrong.options.faults.add('other-password');
    const run = await reach({ devices: ['har-acc-2', 'har-wb-2'] });
    expect(stuck(rowOf(run, 'har-acc-2').rungs)).to.equal('port: port 22 of 10.77.96.12 is shut');
    expect(stuck(rowOf(run, 'har-wb-2').rungs)).to.equal('sign-in: netops was not let in with its password');
    wrong.options.faults.clear();
    f.lab.device('har-acc-2').on();
  });

  it('finds a device that speaks another dialect than its records say', async () => {
    await f.client.edit('device', 'har-xr-6', { dialect: 'furrow' });
    await f.client.edit('device', 'har-acc-6', { dialect: 'shale' });
    await f.client.call('value.put', {
      body: { setting: 'access.answer-seconds', layer: 'everywhere', mode: 'set', value: 1 },
    });
    const run = await reach({ devices: ['har-xr-6', 'har-acc-6'] });
    expect(stuck(rowOf(run, 'har-xr-6').rungs)).to.equal(
      'dialect: no prompt of Furrow came after signing in for 1 s; the last line is "har-xr-6 ;"',
    );
    expect(stuck(rowOf(run, 'har-acc-6').rungs)).to.match(/^dialect: /);
  });

  it('says what the records lack: an address, a dialect, a password', async () => {
    await f.client.add('device', { name: 'lonely' });
    await f.client.add('device', { name: 'mute-one', dialect: 'furrow' });
    const run = await reach({ devices: ['lonely', 'mute-one'] });
    for (const name of ['lonely', 'mute-one'])
      expect(stuck(rowOf(run, name).rungs)).to.match(
        new RegExp(`^name: it has no management address in the records, and DNS does not know ${name} `),
      );
    await f.client.edit('device', 'har-wb-9', { dialect: null });
    const without = await reach({ devices: ['har-wb-9'] });
    expect(stuck(rowOf(without, 'har-wb-9').rungs)).to.equal(
      'dialect: it answers as shale does, which its records do not say',
    );
  });

  it('tells by name which of those that were asked for are missing', async () => {
    const problem = await refusal(reach({ devices: ['har-acc-1', 'har-acc-111', 'har-nix-1'] }));
    expect(problem.errors?.map((one) => `${one.pointer} ${one.detail}`)).to.deep.equal([
      '/devices/1 there is no device "har-acc-111"',
      '/devices/2 there is no device "har-nix-1"',
    ]);
  });

  it('goes on after the service was started anew, with what was left', async () => {
    addDevice(f.lab, 'quill', 30);
    await paste(f.client, 'quill', ['har-xr-30']);
    await acquainted(f.client, 'name=har-xr-30');
    const made = await f.client.call('run.ask', {
      body: { devices: ['har-xr-30'], asks: [{ question: 'version' }] },
    });
    // As it would be behind a crash: claimed by somebody who is not heard of any more.
    await transact(f.store, actor, 'test', async (tx) => {
      await tx.execute(
        "UPDATE run SET state = 'working', ended_at = NULL, fence = fence + 7, claimed_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE id = ?",
        [made.id],
      );
      await tx.execute("UPDATE run_row SET state = 'working', outcome = NULL WHERE run_id = ?", [made.id]);
    });
    const run = await settled(f.client, made);
    expect(run.counts).to.deep.equal({ answered: 1 });
  });

  it('keeps an installer from saying that other hardware is a device that lets the service in', async () => {
    const installer = { role: 'installer' } as User;
    const become = (ref: string) =>
      transact(f.store, actor, 'test', async (tx) => mustNotServe(tx, installer, await mustFind(tx, 'device', ref)));
    expect(await refused(become('har-xr-30'))).to.equal('reached-not-yours');
    await f.lab.device('har-xr-30').off();
    expect(await refused(become('har-xr-30'))).to.equal(undefined);
    f.lab.device('har-xr-30').on();
  });
});
