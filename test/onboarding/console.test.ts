/** Bringing switches into service, in a real browser. */
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { PASSWORD } from '../../ops/stack.ts';
import { ardle, onboarding, type Onboarding } from './bench.ts';

describe('the console, bringing a switch into service', function () {
  this.timeout(120_000);
  let o: Onboarding;
  let browser: Browser;
  let page: Page;
  const faults: string[] = [];
  before(async () => {
    o = await onboarding('dist/console');
    browser = await openBrowser();
    page = await signedInPage(browser, o.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(60_000);
    page.on('pageerror', (error) => faults.push(error.message));
    page.on('console', (m) => m.type() === 'error' && !/status of 4/.test(m.text()) && faults.push(m.text()));
  });
  after(async () => {
    await browser.close();
    await o.end();
  });

  const go = async (path: string) => {
    await page.goto(`${o.url}${path}`);
    await page.getByText('live', { exact: true }).waitFor();
  };

  it('shows a configuration, and where each of its lines comes from', async () => {
    await go('/devices/ard-acc-1?show=edition');
    await page.getByRole('option', { name: 'clock follow 10.77.0.6' }).click();
    await page.getByText('Line 7 comes from').waitFor();
    await page.getByText(', line 8').waitFor();
    await page.getByText('server = 10.77.0.6').waitFor();
    await page.getByRole('link', { name: 'time.servers' }).click();
    await page.getByText('What layers say').waitFor();
  });

  it('sets a setting for one device, makes the next edition and publishes it', async () => {
    await go('/devices/ard-acc-1?show=settings');
    await page
      .getByRole('row', { name: /time\.zone/ })
      .getByRole('button', { name: 'Set here' })
      .click();
    await page.getByLabel('Value').fill('Europe/Oslo');
    await page.getByRole('button', { name: 'Set', exact: true }).click();
    await page
      .getByRole('row', { name: /time\.zone/ })
      .getByText('device ard-acc-1')
      .waitFor();
    await page.getByRole('tab', { name: 'Configuration' }).click();
    await page.getByText('its inputs have changed since').waitFor();
    await page.getByRole('button', { name: 'Make an edition' }).click();
    await page.getByText('clock zone Europe/Oslo').waitFor();
    await page.getByRole('button', { name: 'Publish' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
    await page.getByText('Edition 2, given now').waitFor();
  });

  it('explains what the device is told when it boots', async () => {
    await page.getByRole('tab', { name: 'Booting' }).click();
    const row = page.getByRole('row', { name: /ntp-servers/ });
    await row.getByText('0a 4d 00 05 0a 4d 00 06').waitFor();
    await row.getByText('setting time.servers, everywhere').waitFor();
  });

  it('shows an arrival as it happens, without a reload', async () => {
    await go('/arrivals');
    await page.getByRole('heading', { name: 'Expected' }).waitFor();
    o.lab.add(ardle);
    o.lab.device('ardle').on();
    const track = page.getByRole('list', { name: 'Milestones of ard-acc-1' });
    await track.locator('li.done').filter({ hasText: 'serving' }).waitFor();
    expect(await track.locator('li.done').count()).to.equal(11);
    await track.getByRole('button', { name: /called home/ }).click();
    await page.getByText('digestMatches').waitFor();
    await page.getByRole('heading', { name: 'Lately' }).waitFor();
  });

  it('shows a stranger, and recognises it by one click', async () => {
    o.lab.add({
      name: 'skerry',
      model: 'LF-24',
      serial: 'LF24-0188-03',
      mac: '00:00:5e:00:53:b1',
      relay: '10.77.48.1',
    });
    o.lab.device('skerry').on();
    await page.getByText('LF24-0188-03').waitFor();
    await page.getByRole('button', { name: 'Recognise as ske-acc-1' }).click();
    const track = page.getByRole('list', { name: 'Milestones of ske-acc-1' });
    await track.locator('li.done').filter({ hasText: 'serving' }).waitFor();
    await page.getByRole('heading', { name: 'Strangers' }).waitFor({ state: 'detached' });
  });

  it('says what is wrong, and looks again when it is mended', async () => {
    o.lab.add({
      name: 'cobbleholm',
      model: 'LF-24',
      serial: 'LF24-0188-02',
      mac: '00:00:5e:00:53:a6',
      relay: '10.77.33.1',
      faults: ['other-password'],
    });
    o.lab.device('cobbleholm').on();
    await page.getByText('Signing in failed: zpine was not let in with its password.').waitFor();
    await page.getByRole('link', { name: 'Today' }).click();
    await page.getByText('Arrival stuck').waitFor();
    o.lab.device('cobbleholm').options.faults.clear();
    await page.getByRole('button', { name: 'Look again' }).click();
    await page.getByText('Arrival stuck').waitFor({ state: 'detached' });
  });

  it('underlines faults of a template while it is typed, and shows what it would make', async () => {
    await go('/templates/furrow-greeting');
    await page.locator('.cm-content').click();
    await page.keyboard.press('Control+End');
    await page.keyboard.type('@{set.banne}');
    await page.getByText('there is no "banne" in it').first().waitFor();
    await page.getByText('did you mean "banner"?').first().waitFor();
    for (let i = 0; i < 12; i += 1) await page.keyboard.press('Backspace');
    await page.getByText('no faults').waitFor();
    await go('/templates/furrow-access');
    await page.locator('#preview-device').click();
    await page.keyboard.type('cob-acc-1');
    await page.locator('.ant-select-item-option').filter({ hasText: 'cob-acc-1' }).first().click();
    await page.getByRole('option', { name: 'name cob-acc-1' }).waitFor();
  });

  it('had no fault of its own', () => expect(faults).to.deep.equal([]));
});
