/** Watching: what is believed, what is told, what is sent as a letter. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { expect } from 'chai';
import { Mailbox } from '@zpine/lab/mail';
import { transact } from '../../service/store/transact.ts';
import { actor, refusal } from '../service.ts';
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
      {
        ZPINE_MAIL_SERVER: `smtp://127.0.0.1:${port}`,
        ZPINE_MAIL_FROM: 'pine@brackwater.example',
        ZPINE_MAIL_GATHER_SECONDS: '0',
      },
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
      tx.execute('UPDATE letter SET due_at = UTC_TIMESTAMP(3) WHERE fault IS NOT NULL'),
    );
    await eventually('the letter is sent', async () => (await notices())[0]?.mailedAt);
    expect((await notices())[0]?.mailFault).to.equal(null);
  });
});

describe('letters of one cause', function () {
  this.timeout(60_000);
  let f: Fleet;
  const mail = new Mailbox();
  before(async () => {
    const port = await mail.open();
    f = await fleet(
      { furrow: 0, quill: 0, shale: 0 },
      {
        ZPINE_MAIL_SERVER: `smtp://127.0.0.1:${port}`,
        ZPINE_MAIL_FROM: 'pine@brackwater.example',
        ZPINE_MAIL_GATHER_SECONDS: '3',
        ZPINE_CONSOLE_URL: 'https://pine.brackwater.example/',
      },
    );
    // A core, a switch behind it, and one behind that.
    const hears = (on: string, neighbour: string) => ({ on, neighbour, port: '1/1' });
    addDevice(f.lab, 'furrow', 1, { hears: [hears('1/1', 'har-acc-2'), hears('1/2', 'somebody')] });
    addDevice(f.lab, 'furrow', 2, { hears: [hears('1/1', 'har-acc-1'), hears('1/2', 'har-acc-3')] });
    addDevice(f.lab, 'furrow', 3, { hears: [hears('1/1', 'har-acc-2')] });
    await paste(f.client, 'furrow', ['har-acc-1', 'har-acc-2', 'har-acc-3']);
    await acquainted(f.client);
    await f.client.add('site', { code: 'har', title: 'Harbour House' });
    for (const n of [1, 2, 3]) {
      await f.client.edit('device', `har-acc-${n}`, { site: 'har' });
      for (const name of ['1/1', '1/2']) await f.client.add('port', { device: `har-acc-${n}`, name });
    }
    await f.client.add('cable', { from: 'har-acc-1:1/1', to: 'har-acc-2:1/1' });
    await f.client.add('cable', { from: 'har-acc-2:1/2', to: 'har-acc-3:1/1' });
    await put('watch.minutes', 10);
    await put('watch.mail', ['bridge@brackwater.example']);
    await put('watch.interfaces', ['cabled']);
    await put('access.connect-seconds', 1);
    await f.watcher.planNow();
    await looks(f, 3);
  });
  after(async () => {
    await f.end();
    await mail.close();
  });
  const put = (setting: string, value: SettingValue) =>
    f.client.call('value.put', { body: { setting, layer: 'everywhere', mode: 'set', value } });
  const away = async (...names: string[]) => {
    for (const name of names) await f.lab.device(name).off();
  };

  it('watches uplinks, and no desks', async () => {
    const { items } = await f.client.call('watch.list', { query: {} });
    expect(items.filter(({ what }) => what !== 'way in').map(({ device, what }) => `${device} ${what}`)).to.deep.equal([
      'har-acc-1 socket 1/1',
      'har-acc-2 socket 1/1',
      'har-acc-2 socket 1/2',
      'har-acc-3 socket 1/1',
    ]);
  });

  it('tells of a switch that is away once: not of the port before it, nor of what is behind it', async () => {
    f.lab.device('har-acc-1').options.faults.add('unplugged');
    await away('har-acc-2', 'har-acc-3');
    await looks(f, 3);
    await looks(f, 3);
    const letter = await eventually('a letter is sent', () => mail.letters[0], { limitMs: 15_000 });
    expect(letter.subject).to.equal('har-acc-2 is not reached any more (har)');
    expect(letter.text).to.contain('site      har Harbour House').and.contain('what comes of it:');
    expect(letter.text).to.contain('socket 1/1 of har-acc-1 went from up to down');
    expect(letter.text).to.contain('har-acc-3 is not reached any more');
    expect(letter.text).to.contain('https://pine.brackwater.example/devices/har-acc-2?show=fleet');
    const { items } = await f.client.call('notice.list', { query: {} });
    expect(items.map(({ device, cause }) => [device, cause])).to.have.deep.members([
      ['har-acc-1', 'har-acc-2'],
      ['har-acc-2', 'har-acc-2'],
      ['har-acc-3', 'har-acc-2'],
    ]);
    await new Promise((resolve) => setTimeout(resolve, 4000));
    expect(mail.letters).to.have.length(1);
  });

  it('tells once that all of it is well again', async () => {
    f.lab.device('har-acc-1').options.faults.clear();
    for (const name of ['har-acc-2', 'har-acc-3']) f.lab.device(name).on();
    await new Promise((resolve) => setTimeout(resolve, 200));
    await looks(f, 3);
    await looks(f, 3);
    const letter = await eventually('a letter is sent', () => mail.letters[1], { limitMs: 15_000 });
    expect(letter.subject).to.equal('har-acc-2 is reached again (har)');
    expect(letter.text).to.contain('with it:').and.contain('har-acc-3 is reached again');
    await new Promise((resolve) => setTimeout(resolve, 4000));
    expect(mail.letters).to.have.length(2);
  });

  it('tells of a port with its far end, and of nothing in quiet times; what is so still afterwards is told then', async () => {
    const day = 86_400_000;
    const iso = (ms: number) => new Date(Date.now() + ms).toISOString();
    await put('watch.quiet', [`${iso(-day)}/${iso(day)}`]);
    f.lab.device('har-acc-1').options.faults.add('unplugged');
    await looks(f, 3);
    await looks(f, 3);
    const count = (await f.client.call('notice.list', { query: {} })).items.length;
    expect(mail.letters).to.have.length(2);
    await put('watch.quiet', []);
    await looks(f, 3);
    await looks(f, 3);
    expect((await f.client.call('notice.list', { query: {} })).items).to.have.length(count + 1);
    const letter = await eventually('a letter is sent', () => mail.letters[2], { limitMs: 15_000 });
    expect(letter.subject).to.equal('socket 1/1 of har-acc-1 went from up to down (har)');
    expect(letter.text).to.contain('far end   har-acc-2 1/1');
  });

  it('takes no setting that says nothing', async () => {
    for (const [setting, value] of [
      ['watch.interfaces', ['desks']],
      ['watch.quiet', ['at night']],
      ['watch.mail', ['the duty officer']],
    ] as const)
      expect((await refusal(put(setting, [...value]))).code, setting).to.equal('value-shape');
  });
});

/** Another look at everything, now. */
async function looks(f: Fleet, devices: number): Promise<void> {
  const ways = async () =>
    (await f.client.call('watch.list', { query: {} })).items.filter((one) => one.what === 'way in');
  const before =
    (await ways())
      .map((one) => one.lookedAt)
      .sort()
      .at(-1) ?? '';
  await transact(f.store, actor, 'test', (tx) =>
    tx.execute('UPDATE watch_due SET due_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND'),
  );
  await eventually(
    'all were looked at',
    async () => {
      const now = await ways();
      return now.length === devices && now.every((one) => one.lookedAt > before);
    },
    { limitMs: 20_000, everyMs: 50 },
  );
}
