/** The plan of addresses in a real browser: the tree level by level, holes, shapes, site plans, names. */
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { PASSWORD } from '../../ops/stack.ts';
import { demoBench, type DemoBench } from './bench.ts';

describe('the console of addressing', function () {
  this.timeout(120_000);
  let demo: DemoBench;
  let browser: Browser;
  let page: Page;
  const faults: string[] = [];
  before(async () => {
    demo = await demoBench();
    await demo.bench.clients.engineer.add('site', { code: 'gul', title: 'Gullwick', area: 'south-line' });
    browser = await openBrowser();
    page = await signedInPage(browser, demo.bench.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
    page.on('pageerror', (error) => faults.push(error.message));
  });
  after(async () => {
    await browser.close();
    await demo.end();
  });
  const client = () => demo.bench.clients.engineer;
  const go = (path: string) => page.goto(`${demo.bench.url}${path}`);
  const drawer = () => page.getByRole('dialog').last();
  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const choose = async (label: string, text: string) => {
    await drawer().getByLabel(label).click();
    await page.keyboard.type(text);
    await page
      .locator('.ant-select-dropdown:visible .ant-select-item-option')
      .filter({ hasText: text })
      .first()
      .click();
  };
  const more = async (item: string) => {
    await button(/^More/).click();
    await page.getByRole('menuitem', { name: item }).click();
  };

  it('opens the tree level by level, with what is given and what is taken', async () => {
    await go('/prefixes');
    const tree = page.getByRole('table', { name: 'Prefixes' });
    await tree.getByRole('link', { name: '10.77.16.0/24', exact: true }).waitFor();
    await button('Close 10.77.16.0/20').click();
    await tree.getByRole('link', { name: '10.77.16.0/24', exact: true }).waitFor({ state: 'detached' });
    await button('Open 2001:db8:77:1000::/52').click();
    await tree.getByRole('link', { name: '2001:db8:77:1000::/64' }).waitFor();
    await tree.getByTitle('25 % taken, 25 % of the whole given to prefixes inside').first().waitFor();
  });

  it('shows the holes of a prefix, and adds a block where one is clicked', async () => {
    await go('/prefixes/10.77.16.0%2F20');
    const map = page.getByRole('region', { name: 'The space of 10.77.16.0/20' });
    await map.getByText('4 prefixes inside').waitFor();
    await map.getByRole('button', { name: 'free: 10.77.19.0 to 10.77.19.255' }).click();
    await map.getByRole('button', { name: 'Add 10.77.19.0/24 …' }).click();
    await drawer().getByLabel('Description').fill('Slipway');
    await drawer().getByRole('button', { name: 'Save', exact: true }).click();
    await map.getByText('5 prefixes inside').waitFor();
    expect(await client().show('prefix', '10.77.19.0/24')).to.include({ site: 'ard', description: 'Slipway' });
  });

  it('splits, merges and resizes, each looked at first', async () => {
    await go('/prefixes/10.77.19.0%2F24');
    await more('Split …');
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByText('10.77.19.128/25').waitFor();
    await drawer().getByRole('button', { name: 'Split into 2 prefixes' }).click();
    await page.getByRole('heading', { name: '10.77.19.0/25' }).waitFor();
    await more('Merge …');
    await choose('Together with', '10.77.19.128/25');
    await drawer().locator('.ant-drawer-title').click();
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByRole('button', { name: 'Merge into 10.77.19.0/24' }).click();
    await page.getByRole('heading', { name: '10.77.19.0/24' }).waitFor();
    await more('Resize …');
    await drawer().getByLabel('Length').fill('23');
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByText('10.77.18.0/23 would take in 10.77.18.0/24').waitFor();
    await drawer().getByLabel('Length').fill('26');
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByRole('button', { name: 'Resize into 10.77.19.0/26' }).click();
    await page.getByRole('heading', { name: '10.77.19.0/26' }).waitFor();
  });

  it('keeps several addresses at once', async () => {
    await more('Reserve several …');
    await drawer().getByLabel('How many').fill('3');
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByText('10.77.19.3').waitFor();
    await drawer().getByRole('button', { name: 'Reserve 3 addresses' }).click();
    await page.getByText('3 addresses, 0 prefixes').waitFor();
  });

  it('shows a site plan in words, and applies it after showing what it gives', async () => {
    await go('/site-plans/landing');
    await page.getByText(/\/24 in v4, number 0 · gateway first/).waitFor();
    await button('Apply to a site …').click();
    await choose('Site', 'gul');
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByRole('cell', { name: '10.77.80.0/24' }).waitFor();
    expect((await client().list('prefix', { site: 'gul' })).items).to.deep.equal([]);
    await drawer().getByRole('button', { name: 'Add 15 at GUL' }).click();
    await drawer().waitFor({ state: 'hidden' });
    expect(await client().show('prefix', '10.77.80.0/24')).to.include({ vlan: 'gul/304' });
  });

  it('takes the steps of a plan as YAML, with faults at their place', async () => {
    await button('Edit').click();
    const steps = drawer().getByLabel('Steps');
    await steps.fill('- block: v4\n  size: 8\n  from: 10.77.0.0/16\n');
    await drawer().getByRole('button', { name: 'Save', exact: true }).click();
    await drawer().getByText('entry 1, size: a whole number from 17 to 32 is expected here').waitFor();
    await steps.fill('- block: [v4\n');
    await drawer()
      .getByText(/line \d, column \d/)
      .waitFor();
    await steps.fill('- block: v4\n  size: 22\n  from: 10.77.0.0/16\n');
    await drawer().getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('/22 out of 10.77.0.0/16').waitFor();
  });

  it('addresses both ends of a link from one of them', async () => {
    await client().add('cable', { from: 'ske-xr-1:cu3', to: 'mos-xr-1:cu3', kind: 'cat6' });
    await go('/interfaces/ske-xr-1%3Acu3');
    await button('Address the link …').click();
    await choose('Out of', '10.77.254.0/24');
    await drawer().getByRole('button', { name: 'Look' }).click();
    await drawer().getByText('mos-xr-1:cu3').waitFor();
    await drawer()
      .getByRole('button', { name: /^Address both ends out of 10\.77\.254\.\d+\/31$/ })
      .click();
    await drawer().waitFor({ state: 'hidden' });
    const { items } = await client().list('address', { interface: 'mos-xr-1:cu3' });
    expect(items[0]).to.include({ description: 'to ske-xr-1:cu3' });
  });

  it('says where a block fits, what overlaps, and what things are called', async () => {
    await go('/lookup');
    await page.getByLabel('Length').fill('22');
    await page.getByRole('row', { name: /10\.77\.32\.0\/20 Cobbleholm 10\.77\.40\.0\/22 2/ }).waitFor();
    const overlaps = page.getByRole('region', { name: 'Overlaps' });
    await overlaps.getByText('holds').waitFor();
    await overlaps.getByRole('link', { name: '10.77.19.0/24@wireless' }).waitFor();
    await go('/names');
    await page.getByText('ard-xr-1.brackwater.example ard-xr-1').waitFor();
    await page.getByRole('tab', { name: /Zone files/ }).click();
    await page.getByText(/IN\s+SOA\s+ns1\.names\.example\./).waitFor();
  });

  it('had no fault of its own', () => expect(faults).to.deep.equal([]));
});
