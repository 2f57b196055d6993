/** Many at a time, in a real browser, on the demo data. */
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';

describe('the console, many at a time', function () {
  this.timeout(120_000);
  let bench: TestBench;
  let browser: Browser;
  let page: Page;
  const faults: string[] = [];
  before(async () => {
    bench = await demoService(bootNet().env, 'dist/console');
    browser = await openBrowser();
    page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
    page.on('pageerror', (error) => faults.push(error.message));
  });
  after(async () => {
    await browser.close();
    await bench.stop();
  });
  const option = (text: string) =>
    page.locator('.ant-select-dropdown:visible .ant-select-item-option').filter({ hasText: text }).first();
  const drawer = () => page.getByRole('dialog').last();
  const row = (name: string) => page.getByRole('row').filter({ has: page.getByRole('link', { name, exact: true }) });

  it('completes a selection, edits all of it, and keeps it as a view', async () => {
    await page.goto(`${bench.url}/devices`);
    const where = page.getByLabel('Key begins with, or a selection');
    await where.click();
    await page.keyboard.type('sit');
    await option('site=').click();
    await option('Harbour House').click();
    expect(await where.inputValue()).to.equal('site=har');
    await page.keyboard.type(' duty=acc');
    await option('access').click();
    await page.getByText('3 match').waitFor();
    await page.getByRole('button', { name: 'Edit all 3' }).click();
    await drawer().getByLabel('Put labels on').click();
    await page.keyboard.type('tower ');
    // Escape would close the drawer where the list of labels is not open yet.
    await drawer().locator('.ant-drawer-title').click();
    await drawer().getByRole('button', { name: 'See what would change' }).click();
    await drawer().getByText('3 would change').waitFor();
    await drawer().getByRole('button', { name: 'Edit 3 devices' }).click();
    await row('har-acc-1').getByText('tower').waitFor();
    await page.getByRole('button', { name: /^Views/ }).click();
    await page.getByLabel('Name of the view').fill('harbour');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await page.goto(`${bench.url}/devices`);
    await page.getByRole('button', { name: /^Views/ }).click();
    await page.getByRole('button', { name: 'harbour', exact: true }).click();
    await page.getByText('3 match').waitFor();
  });

  it('edits those that were ticked, and says of which it cannot be', async () => {
    await page.goto(`${bench.url}/devices?where=site%3Dhar`);
    await row('har-acc-1').getByRole('checkbox').check();
    await row('har-acc-2').getByRole('checkbox').check();
    await page.getByRole('button', { name: 'Edit 2 devices' }).click();
    await drawer().getByLabel('Which field?').click();
    await option('Rack').click();
    await drawer().getByLabel('Rack', { exact: true }).click();
    await page.keyboard.type('ske');
    await option('ske/closet/w1').click();
    await drawer().getByRole('button', { name: 'See what would change' }).click();
    await drawer().getByText('2 of 2 cannot be changed so').waitFor();
    await drawer()
      .getByText(/har-acc-1/)
      .first()
      .waitFor();
    await page.keyboard.press('Escape');
  });

  it('copies a device many times, from a table', async () => {
    await page.goto(`${bench.url}/devices/ske-acc-1`);
    await page.getByRole('button', { name: 'Copy …' }).click();
    await drawer()
      .getByLabel(/^Copies:/)
      .fill('ske-acc-{5..6}\t{2..3}\tX-5,X-6\nske-acc-7\t4\t');
    await drawer().getByRole('cell', { name: 'X-6' }).waitFor();
    await drawer().getByRole('button', { name: 'Add 3 devices' }).click();
    await page.getByRole('link', { name: 'ske-acc-6' }).waitFor();
    const copy = await bench.clients.engineer.call('device.overview', { params: { ref: 'ske-acc-6' } });
    expect(copy.device).to.include({ positionU: 3, rack: 'ske/closet/w1' });
    expect(copy.box).to.include({ serial: 'X-6' });
  });

  it('says before a removal what goes and what stands in the way, and brings back what is gone', async () => {
    await page.goto(`${bench.url}/sites/ske`);
    await page.getByRole('button', { name: 'Remove' }).click();
    await page.getByText('ske cannot be removed yet').waitFor();
    await drawer().getByRole('link', { name: 'ske/closet' }).waitFor();
    await drawer().getByRole('button', { name: 'Close' }).last().click();
    await page.goto(`${bench.url}/devices/ske-acc-7`);
    await page.getByRole('button', { name: 'Remove' }).click();
    await drawer().getByText('With it go:').waitFor();
    await drawer()
      .getByRole('button', { name: /^Remove all \d/ })
      .click();
    await page.waitForURL(/\/devices$/);
    await page.goto(`${bench.url}/history?show=removed`);
    const gone = page.getByRole('row').filter({ hasText: 'ske-acc-7' });
    await gone.getByRole('button', { name: 'Expand row' }).click();
    await page.getByText('ske/closet/w1').waitFor();
    await gone.getByRole('button', { name: 'Bring back' }).click();
    await page.getByRole('heading', { name: 'ske-acc-7' }).waitFor();
    await page.getByText('vlan304').first().waitFor();
  });

  it('makes boxes of scans as they come', async () => {
    await page.goto(`${bench.url}/boxes`);
    await page.getByRole('button', { name: 'Scans' }).click();
    // As a barcode reader types: a line, and return.
    await page.getByLabel('List').click();
    for (const scan of ['LF-24', 'N-81', '0000.5e00.53f7', 'N-82', '0000.5e00.53f8']) {
      await page.keyboard.type(scan);
      await page.keyboard.press('Enter');
    }
    await page.getByLabel('Where they lie').fill('cupboard at HAR');
    await page.getByText('2 would be added').waitFor();
    await page.getByRole('button', { name: 'Save 2 changes' }).click();
    await page.getByRole('link', { name: 'n-82' }).waitFor();
    expect(await bench.clients.engineer.show('box', 'n-82')).to.include({
      mac: '00:00:5e:00:53:f8',
      whereabouts: 'cupboard at HAR',
    });
  });

  it('makes devices of names and addresses, and shows no password', async () => {
    await page.goto(`${bench.url}/import?from=hosts`);
    await page.getByLabel('List').fill('10.90.1.5 old-sw-1\n10.90.1.300 old-sw-2\n');
    await page.getByText(/300 is more than 255/).waitFor();
    await page.getByLabel('List').fill('10.90.1.5 old-sw-1\nold-sw-2 unassigned\n');
    await page.getByLabel('User to sign in by').fill('netops');
    await page.getByLabel('Password on the devices').fill('bell-buoy-4');
    await page.getByRole('cell', { name: 'users label list-1' }).waitFor();
    expect(await page.locator('table').innerText()).not.to.contain('bell-buoy-4');
    await page.getByRole('button', { name: /^Save \d+ changes$/ }).click();
    await page.getByRole('link', { name: 'old-sw-2' }).waitFor();
    await row('old-sw-1').getByText('unproved').waitFor();
  });

  it('takes a large file in the background, and several files together', async () => {
    await page.goto(`${bench.url}/import?kind=owner`);
    const dropOf = (files: { name: string; text: string }[]) =>
      page.evaluateHandle(`(() => {
        const data = new DataTransfer();
        for (const { name, text } of ${JSON.stringify(files)}) data.items.add(new File([text], name, { type: 'text/csv' }));
        return data;
      })()`);
    const large = `name,note\n${Array.from({ length: 3000 }, (_, i) => `large-${i},${'n'.repeat(900)}`).join('\n')}\n`;
    await page
      .getByLabel('Text')
      .dispatchEvent('drop', { dataTransfer: await dropOf([{ name: 'owners.csv', text: large }]) });
    await page.getByText('was read without a fault').waitFor({ timeout: 30_000 });
    await page.getByRole('button', { name: 'Save 3000 changes' }).click();
    await page.getByText('is saved, in one change set').waitFor({ timeout: 30_000 });
    await page.getByRole('button', { name: 'Another file' }).click();
    const two = [
      { name: 'owners.csv', text: 'name,title\nfirst-of-two,First\n' },
      { name: 'room.csv', text: 'site,name\nnowhere,closet\n' },
    ];
    await page.getByLabel('Text').dispatchEvent('drop', { dataTransfer: await dropOf(two) });
    await page.getByRole('cell', { name: 'room.csv' }).waitFor();
    await page.getByText('there is no site "nowhere"').waitFor();
  });

  it('finds a sticker’s last digits, and goes there by the keyboard', async () => {
    await page.goto(`${bench.url}/`);
    await page.getByRole('heading', { name: 'Today' }).waitFor();
    await page.keyboard.press('/');
    await page.keyboard.type('53f8');
    await page.getByText('Base MAC: 00:00:5e:00:53:f8').waitFor();
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'n-82' }).waitFor();
  });

  it('had no faults of its own all the while', () => expect(faults).to.deep.equal([]));
});
