/** Whoever stands before a rack with a phone: what there is to do, cables, the box, the milestones; a swap from start to report. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { eventually } from '../../trials/eventually.ts';
import { PASSWORD } from '../../ops/stack.ts';
import { refusal } from '../service.ts';
import { ardle, onboarding, serves, type Onboarding } from './bench.ts';

const PHONE = { width: 390, height: 844 };

describe('on site', function () {
  this.timeout(120_000);
  let o: Onboarding;
  let browser: Browser;
  before(async () => {
    o = await onboarding('dist/console');
    browser = await openBrowser();
  });
  after(async () => {
    await browser.close();
    await o.end();
  });

  it('lists what waits for a hand, of the sites of the one who asks, and says no secrets', async () => {
    const { items } = await o.client.call('job.list', { query: {} });
    expect(items.map(({ device, why }) => `${device} ${why}`)).to.include.members([
      'ard-acc-1 to be plugged in',
      'ske-acc-1 to be plugged in',
    ]);
    const ske = await o.client.call('job.list', { query: { site: 'ske' } });
    expect(new Set(ske.items.map(({ site }) => site))).to.deep.equal(new Set(['ske']));
    const job = await o.client.call('job.show', { params: { ref: 'ard-acc-1' } });
    expect(job.strip).to.deep.include({ heightU: 12, own: [7] });
    expect(job.strip?.taken).to.include(9).and.to.not.include(7);
    expect(job.cables.map(({ port, farEnd }) => `${port} ${farEnd}`)).to.include('1/24 ard-xr-1:cu2');
    const secret = /phrase|password|\$6\$/i;
    expect(JSON.stringify(await o.clients.viewer.call('job.show', { params: { ref: 'ard-acc-1' } }))).to.not.match(
      secret,
    );
  });

  it('takes ticks beside a swap, too, and a box only where one is waited for', async () => {
    const { installer, viewer } = o.clients;
    const params = { ref: 'ard-acc-1' };
    const ticked = await installer.call('job.tick', { params, body: { ports: ['1/1', '1/24'] } });
    expect(ticked.cables.filter((cable) => cable.ticked !== null).map(({ port }) => port)).to.deep.equal([
      '1/1',
      '1/24',
    ]);
    const back = await installer.call('job.tick', { params, body: { ports: ['1/1'], done: false } });
    expect(back.cables.filter((cable) => cable.ticked !== null)).to.have.length(1);
    expect((await refusal(viewer.call('job.tick', { params, body: { ports: ['1/1'] } }))).code).to.equal(
      'role-insufficient',
    );
    expect((await refusal(installer.call('job.tick', { params, body: { ports: ['7/7'] } }))).code).to.equal(
      'not-found',
    );
    const taken = installer.call('job.box', { params, body: { box: 'LF24-0201-11' } });
    expect((await refusal(taken)).code).to.equal('box-healthy');
    const fitted = await installer.call('job.box', { params: { ref: 'ske-acc-1' }, body: { box: 'LF24-0201-12' } });
    expect(fitted).to.include({ box: 'LF24-0201-12', takesBox: false, windowOpen: true });
    await o.client.call('device.fit', {
      params: { ref: 'ske-acc-1' },
      body: { box: 'LF24-0188-03' },
      reason: 'the other one',
    });
  });

  it('is used on a phone: from the list to the cables, while the switch comes up', async () => {
    const page = await signedInPage(browser, o.url, 'installer', PASSWORD);
    await page.setViewportSize(PHONE);
    await page.goto(`${o.url}/jobs`);
    await page.getByRole('link', { name: /ard-acc-1/ }).click();
    const cables = page.getByRole('region', { name: 'Cables' });
    await cables.getByText('1 of 4 in').waitFor();
    await cables.getByRole('checkbox').first().check();
    await cables.getByText('2 of 4 in').waitFor();
    // Nothing is wider than the phone.
    expect(await widest(page)).to.be.at.most(PHONE.width);
    o.lab.add({ ...ardle, hears: [{ on: '1/24', neighbour: 'ard-xr-1', port: 'cu2' }] });
    o.lab.device('ardle').on();
    await page.getByRole('region', { name: 'Arrival' }).locator('li.done', { hasText: 'serving' }).waitFor();
    await page.goto(`${o.url}/jobs`);
    await page.getByText('plug it in').first().waitFor();
    expect(await page.getByRole('link', { name: /ard-acc-1/ }).count()).to.equal(0);
    await page.context().close();
  });

  it('prints a sheet with a code that leads to the page of the device', async () => {
    const page = await signedInPage(browser, o.url, 'installer', PASSWORD);
    await page.goto(`${o.url}/sheet?device=ard-acc-1`);
    const sheet = page.getByRole('article', { name: 'Sheet of ard-acc-1' });
    await sheet.getByText('ard-xr-1:cu2').waitFor();
    const code = await sheet
      .getByRole('img', { name: `Code that leads to ${o.url}/jobs/ard-acc-1` })
      .getAttribute('src');
    expect(code).to.include('svg');
    await page.context().close();
  });

  it('has an emergency sheet that any browser opens without a network, by its passphrase alone', async () => {
    const passphrase = 'low tide at the old pier';
    const params = { devices: ['ard-acc-1'], passphrase };
    expect((await refusal(o.clients.installer.call('swap.emergencySheet', { body: params }))).code).to.equal(
      'role-insufficient',
    );
    const sheet = await o.client.call('swap.emergencySheet', { body: params });
    const printed = o.lab.device('ardle').print();
    const secret = /phrase (?:plain|sealed) (\S+)/.exec(printed)?.[1] ?? '';
    expect(secret).to.not.equal('');
    expect(sheet.html).to.not.include(secret).and.to.not.include('10.77.16.11').and.to.not.include(passphrase);
    const { items } = await o.client.call('history.list', { query: { limit: '5' } });
    expect(JSON.stringify(items)).to.include('emergency sheet').and.to.not.include(passphrase);
    const folder = mkdtempSync(join(tmpdir(), 'zpine-sheet-'));
    const file = join(folder, sheet.name);
    writeFileSync(file, sheet.html);
    const context = await browser.newContext({ offline: true });
    const page = await context.newPage();
    await page.goto(`file://${file}`);
    await page.getByLabel('Passphrase').fill('high tide at the old pier');
    await page.getByRole('button', { name: 'Open' }).click();
    await page.getByText('That passphrase does not open it.').waitFor();
    await page.getByLabel('Passphrase').fill(passphrase);
    await page.getByRole('button', { name: 'Open' }).click();
    await page.getByRole('heading', { name: 'ard-acc-1', exact: true }).waitFor();
    const text = await page.locator('article').innerText();
    expect(text).to.include('10.77.16.11/24').and.to.include(secret).and.to.include('1/24 to ard-xr-1:cu2');
    expect(text).to.include('ping 10.77.16.1, then ping 10.77.0.10');
    await context.close();
    rmSync(folder, { recursive: true, force: true });
  });

  it('swaps a box in the browser, from start to report', async () => {
    await serves(o.client, 'ard-acc-1');
    const page = await signedInPage(browser, o.url, 'engineer', PASSWORD);
    await page.goto(`${o.url}/devices/ard-acc-1`);
    await page.getByRole('button', { name: 'Swap', exact: true }).click();
    await page.getByRole('button', { name: 'Begin' }).click();
    await page.waitForURL(/\/swaps\/\d+$/);
    await page
      .getByRole('region', { name: 'Before' })
      .getByText(/^\d+, asked/)
      .waitFor();
    await o.lab.device('ardle').off();
    o.lab.add({
      name: 'spare',
      model: 'LF-24',
      serial: 'LF24-0201-11',
      mac: '00:00:5e:00:53:e1',
      relay: '10.77.16.1',
      circuit: 'ard-xr-1:cu2',
    });
    await page.getByLabel('Serial of the spare').fill('LF24-0201-11');
    await page.getByRole('button', { name: 'It is this one' }).click();
    await page.getByText('another box is in, and boots').waitFor();
    o.lab.device('spare').on();
    const after = page.getByRole('region', { name: 'After' });
    await after.getByText('1/24 is dark: cable ARD-001 not in? It leads to ard-xr-1:cu2.').waitFor({ timeout: 30_000 });
    o.lab.device('spare').options.hears = [{ on: '1/24', neighbour: 'ard-xr-1', port: 'cu2' }];
    await page.getByRole('button', { name: 'Ask again' }).click();
    await after.getByText('Every port is as it was.').waitFor({ timeout: 30_000 });
    await page.getByLabel('1/24 is in').check();
    await page.getByText('1 of 4 ticked off').waitFor();
    await page.getByRole('button', { name: 'Close', exact: true }).click();
    const closed = await eventually('it is closed', async () => {
      const { items } = await o.client.call('swap.list', { query: {} });
      return items[0]?.state === 'closed' ? items[0] : false;
    });
    expect(closed).to.include({ device: 'ard-acc-1', newBox: 'LF24-0201-11', findings: 0 });
    await page.context().close();
  });
});

const widest = (page: Page): Promise<number> => page.evaluate('document.documentElement.scrollWidth');
