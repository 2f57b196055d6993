/** Hardware, interfaces, cables and copies in a real browser, on the demo data. */
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';

describe('the console of hardware', function () {
  this.timeout(120_000);
  let bench: TestBench;
  let browser: Browser;
  let page: Page;
  before(async () => {
    bench = await demoService(bootNet().env, 'dist/console');
    browser = await openBrowser();
    page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
  });
  after(async () => {
    await browser.close();
    await bench.stop();
  });
  const client = () => bench.clients.engineer;
  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const rowOf = (link: string) =>
    page.locator('tr').filter({ has: page.getByRole('link', { name: link, exact: true }) });
  const dialog = () => page.getByRole('dialog');
  const choose = async (label: string | RegExp, option: string) => {
    await dialog().getByLabel(label).click();
    await page.keyboard.type(option);
    await page
      .locator('.ant-select-dropdown:visible .ant-select-item-option')
      .filter({ hasText: option })
      .first()
      .click();
  };

  it('declares a card, whose ports are there at once', async () => {
    await page.goto(`${bench.url}/devices/har-core-1`);
    await page.getByText('3 of 6 filled').waitFor();
    await page
      .getByRole('row', { name: /^2 c4-card/ })
      .getByRole('button', { name: 'Declare a card' })
      .click();
    await choose('Model', 'larkfield/c4-24t');
    await dialog().getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('4 of 6 filled').waitFor();
    await page.getByText(/Nothing is said yet of .*2\/\{1\.\.24\}/).waitFor();
  });

  it('takes down what was found, and declares it', async () => {
    await button('Enter what is there').click();
    await page
      .getByLabel(/A card a line/)
      .fill('1 C4-24T C424-0410\n2 C4-24T\n3 C4-BAY\n3/1 C4-24T\n4 C4-24T C424-0777\n');
    await button('Note it').click();
    await page.getByText('declared larkfield/c4-8x, found C4-24T').waitFor();
    await button('Declare what was found').click();
    await page.getByText('5 of 6 filled').waitFor();
    expect((await client().show('card', 'har-core-1:4')).serial).to.equal('C424-0777');
  });

  it('sets several interfaces at once', async () => {
    await page.goto(`${bench.url}/devices/ard-acc-1`);
    await button('Show all 25').click();
    for (const name of ['1/5', '1/6', '1/7']) await rowOf(name).getByRole('checkbox').check();
    await button('Set 3 at once').click();
    await dialog().getByLabel('Which field?').click();
    await page
      .locator('.ant-select-dropdown:visible .ant-select-item-option')
      .filter({ hasText: 'Description' })
      .click();
    await dialog().getByRole('textbox', { name: 'Description' }).fill('desks');
    await dialog().getByRole('button', { name: 'See what would change' }).click();
    await dialog().getByText('3 would change').waitFor();
    await dialog().getByRole('button', { name: 'Edit 3 interfaces' }).click();
    await rowOf('1/6').getByText('desks').waitFor();
    expect((await client().show('interface', 'ard-acc-1:1/7')).description).to.equal('desks');
  });

  it('shows faults of a form at their fields, and asks only for what the form has', async () => {
    await page.goto(`${bench.url}/devices/ard-acc-1`);
    await button('Add an interface').click();
    await dialog().getByLabel('Name').fill('2/9');
    await dialog().getByRole('button', { name: 'Save', exact: true }).click();
    await dialog().getByText('ard-acc-1 has no port "2/9"').waitFor();
    await dialog().getByText('Sits on').waitFor({ state: 'hidden' });
    // A list that is not searched in: it is opened and chosen from.
    await dialog().getByLabel('Form').click();
    await page.locator('.ant-select-dropdown:visible').getByTitle('sub-interface').click();
    await dialog().getByText('Sits on').waitFor();
    await dialog().getByText('Member of').waitFor({ state: 'hidden' });
    await page.keyboard.press('Escape');
  });

  it('lists the plugs of a rack, adds a cable, and draws its way', async () => {
    await page.goto(`${bench.url}/racks/ard%2Fcloset%2Fw1`);
    await page.getByRole('tab', { name: 'Cables' }).click();
    await page.getByText('13 plugs').waitFor();
    await button('Add a cable').click();
    await choose('From', 'ard-acc-1:1/9');
    await dialog()
      .getByLabel(/^Far end/)
      .fill('crane, socket 4');
    await choose(/^Kind/, 'cat6a');
    await dialog().getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('14 plugs').waitFor();
    await page.getByRole('link', { name: 'ard-acc-1:1/1', exact: true }).first().click();
    await page.getByRole('heading', { name: /Where it leads/ }).waitFor();
    await page.getByText('ticket window, socket 1').waitFor();
    await page.getByText('What is there is not ours.').waitFor();
    await page.getByRole('link', { name: /cat6 · yellow · 1 m · ARD-011/ }).click();
    await page.getByRole('heading', { name: 'ard-acc-1:1/1' }).waitFor();
  });

  it('brings devices along with their model when told to', async () => {
    await client().edit('model', 'tarnwick/tw-8', { ports: 'front{1..10} 1000base-t; con console; pwr power-inlet' });
    await page.goto(`${bench.url}/models/tarnwick%2Ftw-8`);
    await page.getByRole('row', { name: /cob-acc-2 front9 front10/ }).waitFor();
    await page.goto(`${bench.url}/devices/cob-acc-2`);
    await page.getByText(/Its ports are not those .* front9 front10 missing/).waitFor();
    await button('Bring it along').click();
    await page.getByText(/Its ports are not those/).waitFor({ state: 'hidden' });
    expect((await client().show('port', 'cob-acc-2:front10')).kind).to.equal('1000base-t');
  });

  it('takes in a model sheet, with its faults by line', async () => {
    await page.goto(`${bench.url}/import?from=sheets`);
    await page
      .getByLabel('Text of the sheet')
      .fill('vendor: larkfield\nname: lf-9\nports:\n  - { names: "1/{1..9}", kind: 1000baset }\n');
    await page.getByRole('cell', { name: /^4:\d+$/ }).waitFor();
    await page
      .getByLabel('Text of the sheet')
      .fill('vendor: larkfield\nname: lf-9\nports:\n  - { names: "1/{1..9}", kind: 1000base-t }\n');
    await button('Save 1 model').click();
    await page.getByText('1 added').first().waitFor();
    expect((await client().show('model', 'larkfield/lf-9')).ports).to.deep.equal([
      { names: '1/{1..9}', kind: '1000base-t' },
    ]);
  });

  it('fills racks that were ticked', async () => {
    await page.goto(`${bench.url}/racks`);
    for (const key of ['cob/closet/w1', 'mos/closet/w1', 'ske/closet/w1'])
      await page
        .getByRole('row', { name: new RegExp(key) })
        .getByRole('checkbox')
        .check();
    await button('Fill them').click();
    await dialog().getByLabel('How many in all').fill('10');
    await choose('Model', 'larkfield/lf-24');
    await choose('Duty', 'access');
    await dialog().getByRole('button', { name: 'Look' }).click();
    await dialog().getByRole('cell', { name: 'ske-acc-4' }).waitFor();
    await dialog().getByRole('button', { name: 'Add 10 devices' }).click();
    await dialog().waitFor({ state: 'hidden' });
    expect(await client().show('device', 'mos-acc-2')).to.include({ rack: 'mos/closet/w1', positionU: 1 });
  });

  it('makes the same landing again, looked at first', async () => {
    await page.goto(`${bench.url}/sites/ard`);
    await button('Copy site').click();
    await dialog().getByLabel('Code of the new site').fill('bel');
    await dialog().getByLabel('Title').fill('Bellhaven');
    await dialog().getByRole('button', { name: 'Look' }).click();
    await dialog()
      .getByText(/4 devices/)
      .waitFor();
    await dialog()
      .getByText(/box: each exists once/)
      .waitFor();
    await dialog().getByRole('button', { name: 'Make BEL' }).click();
    await page.getByRole('heading', { name: 'Bellhaven' }).waitFor();
    expect(await client().show('device', 'bel-acc-1')).to.include({ rack: 'bel/closet/w1' });
  });

  it('shows both versions when two save the same record, and lets one choose field by field', async () => {
    await page.goto(`${bench.url}/cables/cob-acc-1%3A1%2F24`);
    await button('Edit').click();
    await dialog()
      .getByLabel(/^Printed on it/)
      .fill('COB-X');
    await client().edit('cable', 'cob-acc-1:1/24', { marking: 'COB-Y', colour: 'blue' });
    await dialog().getByRole('button', { name: 'Save', exact: true }).click();
    await dialog().getByText('COB-Y').waitFor();
    await dialog().getByText('green').first().waitFor();
  });
});
