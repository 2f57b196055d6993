/** A rack as people see it: in the terminal, and in a real browser. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('the drawing of a rack', function () {
  this.timeout(120_000);
  let bench: TestBench;
  let browser: Browser;
  let page: Page;
  const home = mkdtempSync(join(tmpdir(), 'zpine-racks-'));
  const { zpineWith, zpine, well } = zpineIn(home);
  before(async () => {
    bench = await demoService(bootNet().env, 'dist/console');
    await bench.clients.engineer.add('model', { vendor: 'tarnwick', name: 'tw-2', width: 'half', depth: 'half' });
    await bench.clients.engineer.add('device', { name: 'har-acc-9', site: 'har', model: 'larkfield/lf-24' });
    await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', bench.url, '--user', 'engineer');
    browser = await openBrowser();
    page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
  });
  after(async () => {
    await browser.close();
    await bench.stop();
    rmSync(home, { recursive: true, force: true });
  });

  it('is text, the top above, halves beside one another', async () => {
    await well('device', 'add', 'ske-left', '--rack', 'ske/closet/w1', '--positionU', '3', '--model', 'tarnwick/tw-2');
    await well(
      'device',
      'add',
      'ske-right',
      '--rack',
      'ske/closet/w1',
      '--positionU',
      '3',
      '--model',
      'tarnwick/tw-2',
      '--side',
      'right',
    );
    const lines = (await well('rack', 'draw', 'ske/closet/w1')).split('\n');
    expect(lines[0]).to.match(/^ U {2}front +rear$/);
    expect(lines[4]).to.match(/^ 9 {2}○ ske-xr-1 CB-7 +\(ske-xr-1\)$/);
    expect(lines[10]).to.match(/^ 3 {2}○ ske-left TW-2 \| ○ ske-right TW-2 +·$/);
    expect(lines.slice(-3)).to.deep.equal([
      '3 of 12 U used; free on both faces: 1-2, 4-6, 8, 10-12',
      'power 105 W, 2 of unknown power',
      'weight 5.8 kg, 2 of unknown weight',
    ]);
    const taken = await zpine('device', 'edit', 'ske-left', '--positionU', '7');
    expect(taken.err).to.contain('U 7 of ske/closet/w1 is taken by device ske-acc-1 (field positionU)');
    expect(await well('rack', 'draw', 'har/equipment/e1')).to.match(
      /33 {2}\[reserved\] camera recorder, spring +\(camera recorder, spring\)/,
    );
  });

  const chosen = () => page.getByRole('region', { name: 'Chosen' });

  it('is to scale, front and rear, and says what was chosen', async () => {
    await page.goto(`${bench.url}/racks/har%2Fequipment%2Fe1`);
    const front = page.getByRole('figure', { name: 'Front' });
    const core = front.getByTitle(/^har-core-1/);
    await core.click();
    await chosen().getByText('U 40 to 43, front, full depth').waitFor();
    const [tall, low] = [await core.boundingBox(), await front.getByTitle(/^har-acc-2/).boundingBox()];
    expect(Math.round(((tall?.height ?? 0) + 1) / ((low?.height ?? 0) + 1))).to.equal(4);
    const rear = page.getByRole('figure', { name: 'Rear' });
    expect(await rear.getByTitle(/^har-core-1/).count()).to.equal(1);
    expect(await rear.getByTitle(/^har-acc-2/).count(), 'half depth is not seen from behind').to.equal(0);
    await page.getByText('Duty', { exact: true }).first().click();
    await page.getByRole('region', { name: 'Legend' }).getByText('crossing-router').waitFor();
  });

  it('takes a device at the U that was chosen, and one that is dragged', async () => {
    await page.goto(`${bench.url}/racks/har%2Fequipment%2Fe1`);
    await page.getByRole('button', { name: 'U 20 front' }).click();
    await page.getByLabel('Put here').click();
    await page.locator('.ant-select-item-option').filter({ hasText: 'har-acc-9' }).click();
    await chosen().getByText('U 20, front, half depth').waitFor();
    await page
      .getByRole('figure', { name: 'Front' })
      .getByTitle(/^har-acc-9/)
      .dragTo(page.getByRole('button', { name: 'U 10 rear' }));
    await chosen().getByText('U 10, rear, half depth').waitFor();
    expect(await bench.clients.viewer.show('device', 'har-acc-9')).to.include({ positionU: 10, face: 'rear' });
  });

  it('refuses what is in the way, and keeps U for what is to come', async () => {
    await page.goto(`${bench.url}/racks/har%2Fequipment%2Fe1`);
    await page
      .getByRole('figure', { name: 'Rear' })
      .getByTitle(/^har-acc-9/)
      .dragTo(page.getByRole('button', { name: 'U 35 front' }));
    await chosen().getByText('U 35, front').waitFor();
    await page.getByRole('button', { name: 'U 12 front' }).click();
    await page.getByRole('button', { name: 'Cover or reserve' }).click();
    const form = page.getByRole('dialog');
    await form.getByText('reserved', { exact: true }).click();
    await form.getByLabel(/What it is/).fill('second recorder');
    await form.getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByRole('figure', { name: 'Front' }).getByText('reserved · second recorder').waitFor();
    await page.getByRole('button', { name: 'Place a device' }).click();
    await page.getByRole('dialog').getByLabel('Duty').click();
    await page
      .locator('.ant-select-dropdown:visible .ant-select-item-option')
      .filter({ hasText: 'access' })
      .first()
      .click();
    await page.getByRole('dialog').getByRole('button', { name: 'Take har-acc-10' }).click();
    await page
      .getByRole('dialog')
      .getByLabel(/^U optional/)
      .fill('12');
    await page.getByRole('dialog').getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('U 12 of har/equipment/e1 is taken by filler har/equipment/e1/12/front').waitFor();
  });
});
