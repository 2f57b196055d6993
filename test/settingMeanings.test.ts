/** Settings that the service goes by have values that it can go by. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { expect } from 'chai';
import { refusal, testService, type TestBench } from './service.ts';

describe('values of settings that the service goes by', () => {
  let bench: TestBench;
  before(async function () {
    this.timeout(30_000);
    bench = await testService();
  });
  after(() => bench.stop());

  const put = (setting: string, value: SettingValue) =>
    bench.clients.engineer.call('value.put', {
      body: { setting, layer: 'everywhere', mode: 'set', value },
    });

  const refused: [string, SettingValue, string][] = [
    ['access.jump', 'nosuch', 'ref-unknown'],
    ['access.port', 70_000, 'value-high'],
    ['access.answer-seconds', 0, 'value-low'],
    ['capture.hours', -1, 'value-low'],
    ['watch.mail', ['quay@brackwater.example', 'not-an-address'], 'value-shape'],
  ];
  for (const [setting, value, code] of refused)
    it(`refuse ${JSON.stringify(value)} for ${setting}`, async () => {
      const problem = await refusal(put(setting, value));
      expect(problem.errors?.[0]?.code).to.equal(code);
      expect(problem.errors?.[0]?.pointer).to.match(/^\/value/);
    });

  it('are taken where they mean something', async () => {
    await bench.clients.engineer.add('device', { name: 'gate' });
    await put('access.jump', 'gate');
    await put('watch.mail', ['quay@brackwater.example']);
    await put('access.port', 2222);
  });
});
