/** Watching: what is believed, what is told, what is sent as a letter. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { expect } from 'chai';
import { Mailbox } from '@zpine/lab/mail';
import { transact } from '../../service/store/transact.ts';
import { actor } from '../service.ts';
import { acquainted, addDevice, fleet, paste, type Fleet } from './bench.ts';
import { eventually } from '../../trials/eventually.ts';

describe('watching', function () {
  this.timeout(60_000);
  let f: Fleet;
  const mail = new Mailbox();
  before(async () => {
    const port = await mail.open();
    f = await fleet(
      { furrow: 1, quill: 1, shale: 0 },
      { ZPINE_MAIL_SERVER: `smtp://127.0.0.1:${port}`, ZPINE_MAIL_FROM: 'pine@brackwater.example' },
    );
    addDevice(f.lab, 'furrow', 9, { hears: [{ on: '1/1', neighbour: 'har-xr-1', port: 'cu1' }] });
    await paste(f.client, 'furrow', ['har-acc-9']);
    await acquainted(f.client);
    const put = (setting: string, value: SettingValue) =>
      f.client.call('value.put', { body: { setting, layer: 'everywhere', mode: 'set', value } });
    await put('watch.minutes', 10);
    await put('watch.mail', ['bridge@brackwater.example', 'quay@brackwater.example']);
    await put('access.connect-seconds', 2);
    await f.watcher.planNow();
  });
  after(async () => {
    await f.end();
    await mail.close();
  });

  const watched = async (device: string) =>
    Object.fromEntries(
      (await f.client.call('watch.list', { query: { device } })).items.map(({ what, state }) => [what, state]),
    );
  /** Another look at everything, now. */
  const look = async () => {
    const before =
      (await f.client.call('watch.list', { query: {} })).items
        .map((one) => one.lookedAt)
        .sort()
        .at(-1) ?? '';
    await transact(f.store, actor, 'test', (tx) =>
      tx.execute('UPDATE watch_due SET due_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND'),
    );
    for (let i = 0; i < 200; i += 1) {
      const { items } = await f.client.call('watch.list', { query: {} });
      const ways = items.filter((one) => one.what === 'way in');
      if (ways.length === 3 && ways.every((one) => one.lookedAt > before)) return;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error('nobody looked');
  };
  const notices = async () => (await f.client.call('notice.list', { query: {} })).items;

  it('remembers the first look without a word', async () => {
    await look();
    expect(await watched('har-acc-9')).to.include({ 'way in': 'reached', 'socket 1/1': 'up', 'socket 1/2': 'down' });
    expect(await notices()).to.deep.equal([]);
  });

  it('tells of a port that went dark when it was seen twice, and by letter', async () => {
    f.lab.device('har-acc-9').options.faults.add('unplugged');
    await look();
    expect(await notices()).to.deep.equal([]);
    await look();
    const [notice] = await notices();
    expect(notice?.text).to.equal('socket 1/1 of har-acc-9 went from up to down');
    await eventually('a letter is sent', () => mail.letters[0]);
    expect(mail.letters[0]).to.deep.include({
      from: 'pine@brackwater.example',
      to: ['bridge@brackwater.example', 'quay@brackwater.example'],
      subject: 'socket 1/1 of har-acc-9 went from up to down',
    });
    const { items } = await f.client.call('today', {});
    expect(items.find((one) => one.code === 'notice')?.detail).to.equal(
      'Socket 1/1 of har-acc-9 went from up to down.',
    );
  });

  it('tells of a device that is not reached any more, and of its return', async () => {
    await f.lab.device('har-xr-1').off();
    await look();
    await look();
    expect((await notices())[0]?.text).to.match(/^har-xr-1 is not reached any more: Port: /);
    f.lab.device('har-xr-1').on();
    await new Promise((resolve) => setTimeout(resolve, 100));
    await look();
    await look();
    expect((await notices())[0]?.text).to.equal('har-xr-1 is reached again');
  });

  it('says once that something flaps, and then no more', async () => {
    const { faults } = f.lab.device('har-acc-9').options;
    for (let i = 0; i < 5; i += 1) {
      if (faults.has('unplugged')) faults.delete('unplugged');
      else faults.add('unplugged');
      await look();
      await look();
    }
    const told = (await notices()).filter((one) => one.device === 'har-acc-9').map((one) => one.text);
    expect(told[0]).to.contain('flaps: 4 changes within an hour');
    expect(told.filter((text) => text.includes('flaps'))).to.have.length(1);
    expect(told).to.have.length(4);
  });

  it('keeps a letter that was not taken, with the reason, for another try', async () => {
    mail.refuses = 'the mailbox is full';
    await f.lab.device('har-xr-1').off();
    await look();
    await look();
    await eventually('a letter is refused', async () => (await notices())[0]?.mailFault);
    expect((await notices())[0])
      .to.include({ mailedAt: null })
      .and.property('mailFault')
      .contain('the mailbox is full');
    mail.refuses = undefined;
    await transact(f.store, actor, 'test', (tx) =>
      tx.execute('UPDATE notice SET mail_due = UTC_TIMESTAMP(3) WHERE mail_fault IS NOT NULL'),
    );
    await eventually('the letter is sent', async () => (await notices())[0]?.mailedAt);
    expect((await notices())[0]?.mailFault).to.equal(null);
  });
});
