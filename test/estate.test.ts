/** A larger estate: made from a seed, without contradictions, and the console on it. */
import { expect } from 'chai';
import { gzipSync } from 'node:zlib';
import type { Browser, Page } from 'playwright-core';
import { fillEstate } from '../bench/estate/fill.ts';
import { plannedSites } from '../bench/estate/plan.ts';
import { openBrowser, signedInPage } from '../ops/browser.ts';
import { bootNet, PASSWORD } from '../ops/stack.ts';
import { readOnly } from '../service/store/transact.ts';
import { actor, testService, type TestBench } from './service.ts';
import { eventually } from '../trials/eventually.ts';

const DEVICES = 560;
const SEED = 7;

describe('a larger estate', function () {
  this.timeout(120_000);
  let bench: TestBench;
  before(async () => {
    bench = await testService(bootNet().env, 'dist/console');
    await fillEstate(bench.store, { devices: DEVICES, seed: SEED });
  });
  after(() => bench.stop());

  const api = () => bench.clients.engineer;
  const count = (sql: string) =>
    readOnly(bench.store, actor, async (tx) =>
      Number((await tx.one<{ n: number }>(`SELECT COUNT(*) AS n FROM ${sql}`))?.n),
    );

  it('is the same from the same seed, and another from another', () => {
    const of = (seed: number) => JSON.stringify([...plannedSites(400, seed)]);
    expect(of(3)).to.equal(of(3));
    expect(of(3)).not.to.equal(of(4));
    expect([...plannedSites(401, 3)].reduce((sum, site) => sum + site.devices.length, 0)).to.equal(401);
  });

  it('names nothing twice, and gives every device a place, a box, ports and an address of its own', async () => {
    expect(await count('device')).to.equal(DEVICES);
    expect(await count('device WHERE rack_id IS NULL OR management_id IS NULL')).to.equal(0);
    expect(await count('box WHERE device_id IS NOT NULL')).to.equal(DEVICES);
    expect(await count('address WHERE interface_id IS NOT NULL')).to.equal(DEVICES);
    expect(await count('port')).to.be.greaterThan(20 * DEVICES);
    expect(await count('interface')).to.be.greaterThan(20 * DEVICES);
    expect(await count('cable')).to.be.greaterThan(DEVICES / 2);
  });

  it('has no doubts but those that its stages and logins explain', async () => {
    const { items } = await api().call('doctor.data', { query: {} });
    const found = items.filter((one) => one.count > 0).map((one) => one.doubt);
    expect(found).to.deep.equal([]);
  });

  it('can have editions: the template of the demo renders for its switches', async () => {
    const { items } = await api().list('device', { limit: 1, where: 'duty=access' });
    const edition = await api().call('edition.make', { params: { ref: items[0]?.key ?? '' } });
    expect(edition.files[0]?.text).to.contain(`name ${items[0]?.key ?? ''}`);
  });

  it('pages through all of it, each once', async () => {
    const seen = new Set<string>();
    for await (const device of api().all('device', { limit: 100 })) seen.add(device.key);
    expect(seen.size).to.equal(DEVICES);
  });

  describe('in the console', () => {
    let browser: Browser;
    let page: Page;
    const scripts = new Map<string, Promise<number>>();
    const streams: string[] = [];
    before(async () => {
      browser = await openBrowser();
      page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
      page.setDefaultTimeout(25_000);
      page.context().on('request', (request) => {
        if (request.url().endsWith('/api/v1/events')) streams.push(request.url());
      });
    });
    after(() => browser.close());

    const rows = () => page.locator('tbody tr.ant-table-row');

    it('comes with less than 350 KB of script, gzipped, for its first page', async () => {
      const context = await browser.newContext();
      const fresh = await context.newPage();
      fresh.on('response', (response) => {
        if (/\.js$/.test(new URL(response.url()).pathname))
          scripts.set(
            response.url(),
            response.body().then((body) => gzipSync(body).length),
          );
      });
      await fresh.goto(bench.url);
      await fresh.getByLabel('Name').fill('engineer');
      await fresh.getByLabel('Password').fill(PASSWORD);
      await fresh.getByRole('button', { name: 'Sign in' }).click();
      await fresh.getByRole('heading', { name: 'Today' }).waitFor();
      await fresh.waitForLoadState('networkidle').catch(() => undefined);
      const bytes = (await Promise.all(scripts.values())).reduce((sum, one) => sum + one, 0);
      expect(scripts.size).to.be.greaterThan(5);
      expect(bytes).to.be.lessThan(350_000);
      await context.close();
    });

    it('scrolls on from page to page, without a row twice, and says how many there are', async () => {
      await page.goto(`${bench.url}/devices`);
      await page.getByText(`${DEVICES} in all`).waitFor();
      await rows().nth(59).waitFor();
      const more = page.getByRole('button', { name: 'show more' });
      for (let i = 0; i < 60 && (await rows().count()) < DEVICES; i += 1) {
        await page.mouse.wheel(0, 20_000);
        // So many rows are enough for most; whoever wants more says so.
        if (await more.isVisible()) await more.click();
        await page.waitForTimeout(150);
      }
      expect(await rows().count()).to.equal(DEVICES);
      const keys = await page.locator('tbody tr.ant-table-row td a.mono').allInnerTexts();
      expect(new Set(keys.filter((text) => /-(xr|acc|core)-\d+$/.test(text))).size).to.equal(DEVICES);
    });

    it('narrows while one types, and keeps that in the address', async () => {
      const { items } = await api().list('site', { limit: 1 });
      const site = items[0]?.key ?? '';
      const there = (await api().list('device', { limit: 1, site, count: 'true' })).count ?? 0;
      await page.getByLabel('Key begins with, or a selection').fill(`site=${site}`);
      await page.getByText(`${there} match`).waitFor();
      expect(new URL(page.url()).searchParams.get('where')).to.equal(`site=${site}`);
      await page.reload();
      await page.getByText(`${there} match`).waitFor();
    });

    it('has one event stream, however many tabs are open', async () => {
      streams.length = 0;
      const second = await page.context().newPage();
      await second.goto(`${bench.url}/devices`);
      await second.getByText('live').waitFor();
      const third = await page.context().newPage();
      await third.goto(`${bench.url}/sites`);
      await third.getByText('live').waitFor();
      await third.waitForTimeout(500);
      expect(streams).to.deep.equal([]);
      // The tab that held the stream goes: another one takes it over.
      await page.close();
      await eventually('what is hoped for', () => streams.length === 1);
      await second.close();
      await third.close();
    });
  });
});
