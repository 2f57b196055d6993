/** Messages to other systems: signed, tried again, seen; and a list of where they may go. */
import { createHash, createHmac } from 'node:crypto';
import type { IncomingHttpHeaders } from 'node:http';
import { expect } from 'chai';
import type { SettingValue } from '@zpine/core/settings/layers';
import { Receiver } from '@zpine/lab/receiver';
import { addNotices } from '../../service/app/fleet/notices.ts';
import { transact } from '../../service/store/transact.ts';
import { eventually } from '../../trials/eventually.ts';
import { actor, refusal, testService, type TestBench } from '../service.ts';

describe('messages to other systems', function () {
  this.timeout(30_000);
  let bench: TestBench;
  let status = 503;
  const other = new Receiver(() => ({ status: 200 }));
  let there = 0;
  const here = new Receiver((path) => {
    if (path === '/on') return { status: 308, location: `http://localhost:${there}/there` };
    if (path === '/off') return { status: 307, location: 'http://localhost:9/' };
    return path === '/round' ? { status: 307, location: '/round' } : { status };
  });
  let port = 0;
  let device = 0;
  const put = (setting: string, value: SettingValue) =>
    bench.clients.engineer.call('value.put', { body: { setting, layer: 'everywhere', mode: 'set', value } });
  before(async () => {
    port = await here.open();
    there = await other.open();
    bench = await testService({
      ZPINE_HOOK_HOSTS: `127.0.0.1:${port},localhost:${there}`,
      ZPINE_MAIL_GATHER_SECONDS: '0',
    });
    device = (await bench.clients.engineer.add('device', { name: 'har-acc-1' })).id;
    await put('watch.hooks', [`http://127.0.0.1:${port}/notices`]);
    await put('watch.hook-key', 'a-key-between-us');
    await put('watch.hook-headers', { '127.0.0.1': 'Authorization: Bearer abc' });
  });
  after(async () => {
    await bench.stop();
    here.close();
    other.close();
  });
  const sent = async () => (await bench.clients.viewer.call('delivery.list')).items;

  it('are signed over their content, tried again until they are taken, and seen', async () => {
    await transact(bench.store, actor, 'test', (tx) =>
      addNotices(tx, device, (key) => [
        { what: 'way in', text: `${key} is not reached any more: Port: no answer`, turn: 'down' },
      ]),
    );
    await eventually('it is refused', async () => (await sent())[0]?.fault);
    expect((await sent())[0]).to.include({ fault: 'it answered with 503', sentAt: null, tries: 1 });
    status = 204;
    await transact(bench.store, actor, 'test', (tx) => tx.execute('UPDATE delivery SET due_at = UTC_TIMESTAMP(3)'));
    await eventually('it is taken', async () => (await sent())[0]?.sentAt);
    const message = here.heard.at(-1);
    const body = JSON.parse(message?.body ?? '{}') as { cause: string; turn: string; notices: unknown[] };
    expect(body).to.include({ cause: 'har-acc-1', turn: 'down' });
    expect(body.notices).to.have.length(1);
    const headers: IncomingHttpHeaders = message?.headers ?? {};
    expect(headers.authorization).to.equal('Bearer abc');
    const digest = `sha-256=:${createHash('sha256')
      .update(message?.body ?? '')
      .digest('base64')}:`;
    expect(headers['content-digest']).to.equal(digest);
    const params = String(headers['signature-input']).replace(/^sig=/, '');
    const base = `"@method": POST\n"@target-uri": http://127.0.0.1:${port}/notices\n"content-digest": ${digest}\n"@signature-params": ${params}`;
    expect(headers.signature).to.equal(
      `sig=:${createHmac('sha256', 'a-key-between-us').update(base).digest('base64')}:`,
    );
    // Both times it was the same message.
    expect(new Set(here.heard.map((one) => one.headers['idempotency-key'])).size).to.equal(1);
  });

  it('go to nobody who is not on the list, and secrets are shown to nobody', async () => {
    const problem = await refusal(put('watch.hooks', ['http://127.0.0.1:1/']));
    expect(problem.code).to.equal('hook-host');
    expect(problem.remedy).to.contain('ZPINE_HOOK_HOSTS');
    expect((await refusal(put('watch.hooks', ['har-acc-1']))).code).to.equal('value-shape');
    expect((await refusal(put('watch.hook-headers', { a: 'Host: x' }))).code).to.equal('value-shape');
    const values = await bench.clients.viewer.call('value.list', { query: { layer: 'everywhere' } });
    expect(JSON.stringify(values)).not.to.contain('Bearer abc').and.not.to.contain('a-key-between-us');
  });

  it('follow to where the list lets them, and take no header along to another host', async () => {
    await put(
      'watch.hooks',
      ['on', 'off', 'round'].map((path) => `http://127.0.0.1:${port}/${path}`),
    );
    await transact(bench.store, actor, 'test', (tx) =>
      addNotices(tx, device, (key) => [{ what: 'way in', text: `${key} is reached again`, turn: 'well' }]),
    );
    const of = async (path: string) => (await sent()).find(({ url }) => url.endsWith(`/${path}`));
    await eventually(
      'all were tried',
      async () => (await of('on'))?.tries === 1 && (await of('off'))?.tries === 1 && (await of('round'))?.fault,
    );
    expect((await of('on'))?.sentAt).to.be.a('string');
    expect(here.heard.find(({ path }) => path === '/on')?.headers.authorization).to.equal('Bearer abc');
    expect(other.heard.map(({ path }) => path)).to.deep.equal(['/there']);
    expect(other.heard[0]?.headers).not.to.have.property('authorization');
    expect((await of('off'))?.fault).to.equal('messages may not go to localhost:9: it is not in ZPINE_HOOK_HOSTS');
    expect((await of('round'))?.fault).to.equal('it led on more than 3 times');
  });
});
