/** The console in a real browser. */
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../ops/browser.ts';
import { PASSWORD } from '../ops/stack.ts';
import { testService, type TestBench } from './service.ts';

describe('the console', function () {
  this.timeout(120_000);
  let bench: TestBench;
  let browser: Browser;
  let page: Page;
  const faults: string[] = [];
  before(async () => {
    bench = await testService({}, 'dist/console');
    browser = await openBrowser();
    page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
    page.on('pageerror', (error) => faults.push(error.message));
    page.on(
      'console',
      (message) => message.type() === 'error' && !/status of 4/.test(message.text()) && faults.push(message.text()),
    );
  });
  after(async () => {
    await browser.close();
    await bench.stop();
  });

  const drawer = () => page.getByRole('dialog').last();
  const choose = async (label: string, typed: string, key: string) => {
    await drawer().getByLabel(label, { exact: false }).first().click();
    await page.keyboard.type(typed);
    await page.locator('.ant-select-dropdown:visible .ant-select-item-option').filter({ hasText: key }).first().click();
  };
  const save = () => drawer().getByRole('button', { name: /Save$/ }).click();
  const gone = () => page.getByRole('dialog').waitFor({ state: 'detached' });

  it('refuses a wrong password in words', async () => {
    const context = await browser.newContext();
    const other = await context.newPage();
    await other.goto(bench.url);
    await other.getByLabel('Name').fill('engineer');
    await other.getByLabel('Password').fill('wrong');
    await other.getByRole('button', { name: 'Sign in' }).click();
    await other.getByText('the user name or the password is not right').waitFor();
    await context.close();
  });

  it('says what to do when there is nothing yet', async () => {
    await page.getByText('Declare a device, and what it still needs will stand here.').waitFor();
    await page.getByRole('link', { name: 'Places' }).click();
    await page.getByText('No sites yet').waitFor();
  });

  it('declares a site', async () => {
    await page.getByRole('button', { name: 'Add the first site' }).click();
    await drawer().getByLabel('Code').fill('Ardle Pier');
    await save();
    await drawer().getByText('did you mean ardle-pier?').waitFor();
    await drawer().getByLabel('Code').fill('ARD');
    await drawer().getByLabel('Title').fill('Ardle');
    await save();
    await gone();
    await page.getByRole('link', { name: 'ard', exact: true }).waitFor();
  });

  it('declares a rack, and its room in place', async () => {
    await page.getByRole('tab', { name: 'Racks' }).click();
    await page.getByRole('button', { name: 'Add a rack' }).click();
    await drawer().getByLabel('Room').click();
    await page.getByRole('button', { name: 'Add a room …' }).click();
    await page.getByRole('dialog').filter({ hasText: 'Add a room' }).waitFor();
    await choose('Site', 'ar', 'ard');
    await drawer().getByLabel('Name').fill('closet');
    await save();
    await page.getByRole('dialog').filter({ hasText: 'Add a room' }).waitFor({ state: 'detached' });
    await drawer().getByLabel('Name').fill('w1');
    await save();
    await gone();
    await page.getByRole('link', { name: 'ard/closet/w1' }).waitFor();
  });

  it('declares a management prefix on a VLAN', async () => {
    const { engineer } = bench.clients;
    await engineer.add('use', { name: 'management', management: true });
    await engineer.add('vlan', { site: 'ard', number: 304, use: 'management' });
    await page.getByRole('link', { name: 'Addressing' }).click();
    await page.getByRole('button', { name: 'Add a prefix' }).click();
    await drawer().getByLabel('Prefix').fill('10.77.16.7/24');
    await choose('VLAN', 'ard', 'ard/304');
    await drawer().getByLabel('Gateway').fill('10.77.17.1');
    await save();
    await drawer().getByText('the network is 10.77.16.0/24; the host is 10.77.16.7').waitFor();
    await drawer().getByLabel('Prefix').fill('10.77.16.0/24');
    await save();
    await drawer().getByText('10.77.17.1 is not inside 10.77.16.0/24').waitFor();
    await drawer().getByLabel('Gateway').fill('10.77.16.1');
    await save();
    await gone();
    await page.getByRole('link', { name: '10.77.16.0/24' }).waitFor();
  });

  it('declares a device and assigns its management address', async () => {
    await page.getByRole('link', { name: 'Today' }).click();
    await page.getByRole('button', { name: 'Declare a device' }).click();
    await drawer().getByLabel('Name').fill('ard-acc-1');
    await choose('Rack', 'ard', 'ard/closet/w1');
    await drawer()
      .getByLabel(/^U optional/)
      .fill('7');
    await save();
    await page.getByRole('heading', { name: 'ard-acc-1' }).waitFor();
    await page.getByRole('button', { name: 'Assign management address' }).click();
    await page.getByText('10.77.16.2/24', { exact: true }).waitFor();
    await page.getByRole('link', { name: 'management' }).first().waitFor();
  });

  it('shows what others change, without a reload', async () => {
    await page.getByText('live', { exact: true }).waitFor();
    await bench.clients.engineer.add('vendor', { name: 'larkfield' });
    await bench.clients.engineer.add('model', { vendor: 'larkfield', name: 'lf-24' });
    await bench.clients.engineer.add('box', { serial: 'LF24-0188-01', model: 'larkfield/lf-24', device: 'ard-acc-1' });
    await page.getByRole('link', { name: 'lf24-0188-01' }).waitFor();
    await page.getByRole('navigation').getByRole('link', { name: 'Devices' }).click();
    await page.getByRole('link', { name: 'ard-acc-1' }).waitFor();
    await bench.clients.engineer.add('device', { name: 'ard-acc-2', site: 'ard' });
    await page.getByRole('link', { name: 'ard-acc-2' }).waitFor();
    await page.getByText('2 in all').waitFor();
  });

  it('shows both versions when two people save the same record', async () => {
    await page.goto(`${bench.url}/sites/ard`);
    await page.getByRole('button', { name: 'Edit' }).click();
    await bench.clients.engineer.edit('site', 'ard', { title: 'Ardle Pier' });
    await drawer().getByLabel('Postal address').fill('The pier');
    await save();
    const conflict = drawer().getByRole('alert');
    await conflict.getByText('Changed meanwhile.').waitFor();
    await conflict.getByText('Ardle Pier').waitFor();
    await conflict.getByRole('button', { name: 'Take theirs' }).click();
    await conflict.getByRole('button', { name: 'Go on from version 2' }).click();
    await save();
    await gone();
    const site = await bench.clients.engineer.show('site', 'ard');
    expect(site).to.include({ title: 'Ardle Pier', postalAddress: 'The pier', version: 3 });
  });

  it('keeps filters in the address of the page', async () => {
    await page.goto(`${bench.url}/devices?stage=sketched&q=ard-acc-2`);
    await page.getByText('1 match').waitFor();
    await page.getByRole('button', { name: 'Show all' }).click();
    await page.getByText('2 in all').waitFor();
    expect(new URL(page.url()).search).to.equal('');
  });

  it('narrows a list by a selection, and says where it is not understood', async () => {
    await page.goto(`${bench.url}/devices`);
    const search = page.getByLabel('Key begins with, or a selection');
    await search.fill('stage=sketched dutty=access');
    await page.getByText('a device has no "dutty"; did you mean duty?').waitFor();
    await search.fill('stage=sketched name=*');
    await page
      .getByText(/match$/)
      .first()
      .waitFor();
    expect(new URL(page.url()).searchParams.get('where')).to.equal('stage=sketched name=*');
    await page.goto(`${bench.url}/devices`);
    await page.getByText('live', { exact: true }).waitFor();
  });

  it('answers to keys: / searches, g and a letter goes', async () => {
    await page.keyboard.press('/');
    await page.keyboard.type('ard-acc-1');
    await page.locator('.ant-select-item-option').filter({ hasText: 'device' }).first().waitFor();
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'ard-acc-1' }).waitFor();
    await page.keyboard.press('g');
    await page.keyboard.press('h');
    await page.getByRole('heading', { name: 'History' }).waitFor();
    await page.getByText('Ardle Pier').first().waitFor();
  });

  it('has a map of the addresses of a prefix', async () => {
    await page.goto(`${bench.url}/prefixes/10.77.16.0%2F24`);
    await page.getByRole('button', { name: '10.77.16.2 fixed' }).click();
    await page.getByText('ard-acc-1:management').first().waitFor();
    expect(await page.locator('.space button').count()).to.equal(256);
  });

  it('offers nothing to change to those who may only look', async () => {
    const viewer = await signedInPage(browser, bench.url, 'viewer', PASSWORD);
    await viewer.goto(`${bench.url}/devices/ard-acc-1`);
    await viewer.getByRole('heading', { name: 'ard-acc-1' }).waitFor();
    expect(await viewer.getByRole('button', { name: 'Edit' }).count()).to.equal(0);
    expect(await viewer.getByRole('link', { name: 'Admin' }).count()).to.equal(0);
    await viewer.context().close();
  });

  it('takes in a pasted list: faults first, then what would come of it, then all of it', async () => {
    await page.goto(`${bench.url}/sites`);
    await page.getByRole('button', { name: 'Import' }).click();
    const box = page.getByLabel('Text');
    await box.fill('code,title,aera\nimp-1,First,nowhere\n');
    await page.getByText('no field is called "aera"').waitFor();
    await page.getByText('did you mean area?').waitFor();
    expect(await page.getByRole('button', { name: 'Save' }).isDisabled()).to.equal(true);
    await page.getByLabel('Field of aera').click();
    await page.locator('.ant-select-item-option').filter({ hasText: 'left out' }).first().click();
    await page.getByText('1 would be added').waitFor();
    await box.fill('code,title\nimp-1,First\nimp-2,Second\n');
    await page.getByRole('button', { name: 'Save 2 changes' }).click();
    await page.getByRole('link', { name: 'imp-2' }).waitFor();
  });

  it('takes a change set back, after showing what would come of it', async () => {
    await page.goto(`${bench.url}/history`);
    const set = page.locator('.set').filter({ hasText: 'imp-2' }).first();
    await set.hover();
    await set.getByRole('button', { name: 'Undo' }).click();
    await page.getByText('removed site imp-1').waitFor();
    await page.getByRole('dialog').getByRole('button', { name: 'Undo' }).click();
    await page.getByText('undone by').first().waitFor();
    await page.goto(`${bench.url}/sites?q=imp`);
    await page
      .getByText(/^0 sites|No sites|Nothing/)
      .first()
      .waitFor();
  });

  it('has a dark face', async () => {
    await page.getByRole('button', { name: 'Dark' }).click();
    expect(await page.locator('html').getAttribute('data-mode')).to.equal('dark');
    await page.getByRole('button', { name: 'Light' }).click();
  });

  it('had no faults of its own all the while', () => expect(faults).to.deep.equal([]));
});
