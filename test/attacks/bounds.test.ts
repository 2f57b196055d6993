/**
 * One request must not stop a boot: each of these was made to cost much, and a device that boots beside it gets its
 * offer, as everybody else gets their answers.
 */
import type { SettingValue } from '@zpine/core/settings/layers';
import { connect } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import { expect } from 'chai';
import { SECRET_MASK } from '@zpine/core/template/render';
import { bombs, many } from '../../trials/bombs.ts';
import { fuzz } from '../../trials/fuzz/campaign.ts';
import { runs } from '../../trials/runs.ts';
import { attacked, beside, send, type Attacked } from './bench.ts';

const MB = 1024 * 1024;

describe('requests that cost much', () => {
  let a: Attacked;
  before(async function () {
    this.timeout(60_000);
    a = await attacked();
  });
  after(() => a.end());

  for (const [what, bomb] of Object.entries(bombs))
    it(`${what}: answered, and nobody waits`, async function () {
      this.timeout(60_000);
      const answers: { status: number; bytes: number; text: string }[] = [];
      const seen = await beside(a, async () => {
        const once = () => send(a, bomb.path, bomb.body, bomb);
        answers.push(...(await Promise.all(Array.from({ length: bomb.times ?? 1 }, once))));
      });
      for (const { status, bytes, text } of answers) {
        expect(status, text.slice(0, 400)).to.equal(bomb.status);
        expect(text).to.match(bomb.says);
        if (bomb.bytes !== undefined) expect(bytes).to.be.at.most(bomb.bytes);
      }
      // A second is what is promised; the machine of a test may be busy with another.
      expect(seen.bootMs, 'boot').to.be.lessThan(3000);
      expect(seen.healthMs, 'health').to.be.lessThan(3000);
    });

  it('faults beyond a hundred are counted', async () => {
    const { text } = await send(a, '/devices', `{${many(2500, (i) => `"qq${i}":1`)}}`, { role: 'engineer' });
    const problem = JSON.parse(text) as { errors: unknown[]; more: number };
    expect(problem.errors).to.have.length(100);
    // 2,500 that nobody knows, and the fields that a device must have.
    expect(problem.more).to.be.at.least(2400);
  });

  /** In the prefix of the device that boots meanwhile, and many more around it. */
  const addresses = (count: number): string =>
    `address\n${many(count, (i) => (i < 100 ? `10.77.16.${i + 100}` : `10.77.${128 + Math.floor(i / 250)}.${(i % 250) + 1}`), '\n')}\n`;
  const upload = async (text: string, query: { kind?: string; apply?: 'true' } = {}) =>
    a.client.upload(query, new Blob([text]));
  const stateOf = async (id: number) => (await a.client.call('import.show', { params: { id: String(id) } })).state;
  const settled = async (id: number) => {
    for (let state = await stateOf(id); ; state = await stateOf(id)) {
      if (!['waiting', 'reading', 'saving'].includes(state)) return state;
      await pause(100);
    }
  };

  for (const [what, apply] of [
    ['a look at', false],
    ['an import of', true],
  ] as const)
    it(`${what} 10,000 addresses: a device of the prefix boots meanwhile`, async function () {
      this.timeout(120_000);
      const state: string[] = [];
      const seen = await beside(a, async () => {
        const { id } = await upload(addresses(10_000), { kind: 'address', ...(apply ? { apply: 'true' } : {}) });
        state.push(await settled(id));
      });
      expect(state).to.deep.equal([apply ? 'saved' : 'read']);
      expect(seen.asked).to.be.greaterThan(3);
      expect(seen.bootMs, 'boot').to.be.lessThan(3000);
      expect(seen.healthMs, 'health').to.be.lessThan(3000);
    });

  it('a look at a long list ends when it is told to, and the next one is not kept waiting by poisoned ones', async function () {
    this.timeout(60_000);
    const keys = `device:\n  - { name: x, ${many(120_000, (i) => `k${i}: 1`, ', ')} }\n`;
    const poisoned = [await upload(keys), await upload(keys)];
    const long = await upload(`serial,model\n${many(60_000, (i) => `slow-${i},larkfield/lf-24`, '\n')}\n`, {
      kind: 'box',
    });
    while ((await stateOf(long.id)) !== 'reading') await pause(50);
    const begun = Date.now();
    await a.client.call('import.cancel', { params: { id: String(long.id) } });
    expect(await settled(long.id)).to.equal('cancelled');
    expect(Date.now() - begun).to.be.lessThan(5000);
    const harmless = await upload('code,title\nard,Ardle\n', { kind: 'site' });
    expect(await settled(harmless.id)).to.equal('read');
    for (const { id } of poisoned) expect(await settled(id)).to.equal('refused');
    expect(Date.now() - begun).to.be.lessThan(20_000);
  });

  it('a template that takes its time holds nothing that its device needs to boot', async function () {
    this.timeout(60_000);
    await a.client.add('template', {
      name: 'slow-one',
      source: '@for i of range(1,60)\nx @{sha512crypt("r@{i}")}\n@end\n',
    });
    const before = (await a.client.show('device', 'ard-acc-1')).template;
    await a.client.edit('device', 'ard-acc-1', { template: 'slow-one' });
    let tookMs = 0;
    const seen = await beside(a, async () => {
      const begun = Date.now();
      const made = await send(a, '/devices/ard-acc-1/editions', '{"apply":false}', { role: 'engineer' });
      tookMs = Date.now() - begun;
      expect(made.status, made.text).to.be.oneOf([200, 201]);
    });
    await a.client.edit('device', 'ard-acc-1', { template: before });
    expect(tookMs, JSON.stringify(seen)).to.be.greaterThan(50);
    expect(seen.bootMs, 'boot').to.be.lessThan(1000);
  });

  it('texts, lists and maps of secrets that go to another process and back are shown as little as here', async () => {
    const secret = 'rope-walk-77';
    const settings: Record<string, [string, SettingValue]> = {
      word: ['text', secret],
      list: ['list-of-text', [secret, 'other-rope-78']],
      map: ['map', { quay: secret }],
    };
    for (const [name, [valueType, value]] of Object.entries(settings)) {
      await a.client.add('setting', { name: `apart.${name}`, valueType, secret: true, about: 'for this test' });
      await a.client.call('value.put', {
        body: { setting: `apart.${name}`, layer: 'device', of: 'ard-acc-1', mode: 'set', value },
      });
    }
    for (const line of [
      'x @{set.apart.word}',
      'x @{upper(set.apart.word)} @{base64(set.apart.word)}',
      '@for one of set.apart.list\nx @{one}\n@end',
      'x @{join(set.apart.list, "+")}',
      'x @{set.apart.map.quay}',
    ]) {
      const body = JSON.stringify({ template: 'furrow-access', device: 'ard-acc-1', source: `${line}\n` });
      const { status, text } = await send(a, '/template-tries', body, { role: 'engineer' });
      expect(status, text).to.equal(200);
      const { files, faults } = JSON.parse(text) as { files: { text: string }[] | null; faults: unknown[] };
      expect(faults, line).to.deep.equal([]);
      expect(files?.[0]?.text, line).to.contain(SECRET_MASK);
      for (const needle of [secret, secret.toUpperCase(), Buffer.from(secret).toString('base64'), 'other-rope'])
        expect(text, line).to.not.contain(needle);
    }
  });

  it('uploads that nobody signed in for, and that never end, cost no memory', async function () {
    this.timeout(30_000);
    const { items } = await a.client.call('doctor.processes');
    const api = items.find(({ name }) => name === 'api');
    const before = api?.memoryBytes ?? 0;
    const { hostname, port } = new URL(a.service.url);
    const piece = Buffer.alloc(MB, 0x20);
    const sockets = Array.from({ length: 60 }, () => {
      const socket = connect(Number(port), hostname);
      socket.on('error', () => undefined);
      socket.write(
        'POST /api/v1/imports HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n',
      );
      for (let i = 0; i < 16; i += 1) {
        socket.write(`${MB.toString(16)}\r\n`);
        socket.write(piece);
        socket.write('\r\n');
      }
      return socket;
    });
    let most = 0;
    for (let i = 0; i < 15; i += 1) {
      await new Promise((done) => setTimeout(done, 200));
      const now = (await a.client.call('doctor.processes')).items.find(({ name }) => name === 'api');
      most = Math.max(most, (now?.memoryBytes ?? 0) - before);
    }
    for (const socket of sockets) socket.destroy();
    expect(most / MB).to.be.lessThan(20);
  });

  it('made-up requests of all operations, with bombs between them: no fault of the service, and switches boot beside them', async function () {
    this.timeout(120_000);
    const seed = Math.floor(Math.random() * 2 ** 31);
    const outcome = await fuzz(a, { seed, seconds: 15, atATime: 4 });
    expect(outcome.findings, `seed ${seed}`).to.deep.equal([]);
    // Beside two other files of tests few requests come through in that time.
    expect(outcome.succeeded.size).to.be.greaterThan(runs(5, 40));
    expect(outcome.boots).to.have.length(2);
    expect(outcome.seen.bootMs, 'boot').to.be.lessThan(3000);
    expect(outcome.seen.healthMs, 'health').to.be.lessThan(3000);
  });
});
