/** What a change would do elsewhere, as people see it: on the command line, on forms, imports and before an undo. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import type { Impact } from '@zpine/contract/impactShapes';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('impact, as it is told', function () {
  this.timeout(120_000);
  let bench: TestBench;
  const home = mkdtempSync(join(tmpdir(), 'zpine-impact-'));
  const { zpine, zpineWith, well } = zpineIn(home);
  before(async () => {
    bench = await demoService(bootNet().env, 'dist/console');
    await zpineWith(PASSWORD, {}, 'sign-in', bench.url, '--user', 'engineer');
  });
  after(async () => {
    rmSync(home, { recursive: true, force: true });
    await bench.stop();
  });
  const newest = async () =>
    (await bench.clients.engineer.call('history.list', { query: { limit: '1' } })).items[0]?.id;

  describe('on the command line', () => {
    it('groups devices by what is different, and saves nothing', async () => {
      const before = await newest();
      const said = await well('setting', 'set', 'time.servers', '10.77.0.9', '--on', 'everywhere', '--preview');
      expect(said).to.match(
        /^Preview only, nothing saved\. Records: 1 edited\.\n\d+ devices checked: \d+ would change/,
      );
      expect(said).to.contain('    + clock follow 10.77.0.9');
      expect(said).to.match(/5 editions would become stale: ard-acc-1 cob-acc-1 cob-acc-2 cob-xr-1 ske-acc-1/);
      expect(await newest()).to.equal(before);
    });

    it('warns before the service is locked out, and names what is renumbered', async () => {
      const said = await well('vlan', 'edit', 'ard/304', '--number', '305', '--preview');
      expect(said).to.contain('  ! the service would not get in: the service will come to 10.77.16.11/24');
      expect(said).to.match(/renumbered +vlan ard\/305 +number 304 becomes 305/);
    });

    it('goes on with what asks first, as if the answer were yes', async () => {
      const before = await newest();
      const removal = await well('device', 'remove', 'ske-acc-1', '--preview');
      expect(removal).to.contain('1 device: gone: no configuration and no boot answer any more');
      const bulk = await well('device', 'edit', '--where', 'site=ard duty=access', '--note', 'x', '--preview');
      expect(bulk).to.match(/1 would be edited[\s\S]*nothing saved/);
      const file = join(home, 'device.csv');
      writeFileSync(file, 'name,duty,model,site\nmos-acc-31,access,larkfield/lf-24,mos\n');
      const imported = await well('import', 'device', file, '--preview');
      expect(imported).to.match(/1 device: new; one thing would go wrong\n {2}mos-acc-31\n {2}! the template stops/);
      const undone = await well('undo', String(before), '--preview');
      expect(undone).to.contain('nothing saved');
      expect(await newest()).to.equal(before);
    });

    it('is no field of what commands send with all their options', async () => {
      const file = join(home, 'greeting.pine');
      writeFileSync(file, 'greeting\n  | Tide table: see the quay\n');
      const said = await well('template', 'put', 'furrow-greeting', file, '--preview');
      expect(said).to.contain('    +   | Tide table: see the quay');
      const scans = join(home, 'scans.txt');
      writeFileSync(scans, 'LF-24\nLF24-0901-01\n0000.5e00.53fe\n');
      expect(await well('box', 'scan', scans, '--preview')).to.contain('nothing saved');
      expect(await well('prefix', 'carve', '10.77.64.0/20', '/26', '--preview')).to.contain('Records: 1 added');
    });

    it('is JSON for programs, and the refusal where it would be refused', async () => {
      const told = JSON.parse(
        await well('prefix', 'edit', '10.77.16.0/24', '--gateway', '10.77.16.2', '--preview', '--json'),
      ) as Impact;
      expect(told.groups.flatMap((group) => group.devices)).to.include('ard-acc-1');
      const refused = await zpine('site', 'add', 'ard', '--preview');
      expect(refused.status).to.equal(1);
      expect(refused.err).to.match(/^refused: "ard" is taken/);
    });
  });

  describe('in the console', () => {
    let browser: Browser;
    let page: Page;
    const faults: string[] = [];
    before(async () => {
      browser = await openBrowser();
      page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
      page.setDefaultTimeout(25_000);
      page.on('pageerror', (error) => faults.push(error.message));
    });
    after(() => browser.close());
    const impact = () => page.getByRole('region', { name: 'Impact' });
    const look = () => impact().getByRole('button', { name: 'See what it would change' }).click();

    it('stands at the end of a form, and is out of date with the next letter', async () => {
      const before = await newest();
      await page.goto(`${bench.url}/vlans/ard%2F304`);
      await page.getByRole('button', { name: 'Edit' }).click();
      const number = page.getByRole('dialog').getByLabel('Number');
      await number.fill('305');
      await look();
      await impact().getByText('the service would not get in').waitFor();
      await impact().getByText('lane 305').first().waitFor();
      await number.fill('306');
      await impact().getByText('the service would not get in').waitFor({ state: 'detached' });
      expect(await newest()).to.equal(before);
    });

    it('stands beside a value of a setting', async () => {
      await page.goto(`${bench.url}/settings/time.servers`);
      await page.getByRole('button', { name: 'Set a value' }).click();
      await page.locator('#value-text').fill('10.77.0.9');
      await look();
      await impact().getByText("two lines in part 'identity'").first().waitFor();
      await impact().getByText('5 editions would turn').waitFor();
    });

    it('stands above what an import would do, and before something is removed', async () => {
      await page.goto(`${bench.url}/import?kind=device`);
      await page.getByLabel('Text').fill('name,duty,model,site\nmos-acc-32,access,larkfield/lf-24,mos\n');
      await look();
      await impact().getByText('new; one thing would go wrong').waitFor();
      await page.goto(`${bench.url}/devices/ske-acc-1`);
      await page.getByRole('button', { name: 'Remove' }).click();
      await look();
      await impact().getByText('gone: no configuration').waitFor();
      await bench.clients.engineer.edit('site', 'ard', { title: 'Ardle Pier' });
      await page.goto(`${bench.url}/history`);
      await page.getByRole('button', { name: 'Undo' }).first().click();
      await look();
      await impact()
        .getByText(/checked/)
        .waitFor();
      await bench.clients.engineer.edit('interface', 'ard-acc-1:1/1', { description: 'till 9' });
      await page.reload();
      await page.getByRole('button', { name: 'Undo' }).first().click();
      await look();
      await impact().getByRole('link', { name: 'ard-acc-1' }).first().waitFor();
      expect(faults).to.deep.equal([]);
    });
  });
});
