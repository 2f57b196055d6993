/** The running fleet in a real browser: ladder, answers, captures, an errand and its way back, a sheet. */
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { PASSWORD } from '../../ops/stack.ts';
import { fleet, type Fleet } from './bench.ts';

describe('the console of the fleet', function () {
  this.timeout(120_000);
  let f: Fleet;
  let browser: Browser;
  let page: Page;
  const faults: string[] = [];
  before(async () => {
    f = await fleet({ furrow: 4, quill: 2, shale: 2 }, {}, 'dist/console');
    browser = await openBrowser();
    page = await signedInPage(browser, f.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
    page.on('pageerror', (error) => faults.push(error.message));
  });
  after(async () => {
    await browser.close();
    await f.end();
  });
  const go = (path: string) => page.goto(`${f.url}${path}`);
  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const where = async (verb: string, text: string) => {
    await go('/fleet');
    await page.getByLabel('What to do').getByText(verb, { exact: true }).click();
    await page.getByLabel('Which devices').fill(text);
    await page.keyboard.press('Tab');
  };

  it('reaches eight devices, shows their keys, and reaches them again once those are accepted', async () => {
    await where('Reach', 'stage=unproved');
    await button('Reach 8 devices').click();
    await page.getByRole('heading', { name: /^Reach #/ }).waitFor();
    await button('Accept 8 host keys, and look again').click();
    await page.getByText('8 reached').waitFor();
    const row = page.getByRole('row').filter({ hasText: 'har-xr-1' });
    await row.getByText('CB-7, version 2.4.1, CB-7-1001').waitFor();
    expect(await row.getByLabel('Dialect holds: CB-7, version 2.4.1, CB-7-1001').count()).to.equal(1);
  });

  it('asks, shows fields, groups equal answers and lists who lacks the expected text', async () => {
    f.lab.furrow('har-acc-3').memory.strike([], 'clock follow 10.77.0.6');
    await where('Ask', 'dialect=furrow');
    await page.getByLabel('Questions').click();
    await page.keyboard.type('time');
    await page.keyboard.press('Enter');
    await page.keyboard.press('Escape');
    await page.locator('#ask-expect').fill('10.77.0.6');
    await button('Ask 4 devices').click();
    await page.getByText('3 of 4 answers are as expected').waitFor();
    await page.getByRole('cell', { name: '10.77.0.5, 10.77.0.6' }).first().waitFor();
    await page.getByText('Equal answers together').click();
    await page.getByText('3 alike, 1 differs').waitFor();
    await page.getByText('follows 10.77.0.6 in step').last().waitFor();
    await page.getByText('Each as it came').click();
    await page.getByRole('navigation', { name: 'Devices' }).getByText('har-acc-3').click();
    await page.getByText('zone    Europe/London').waitFor();
  });

  it('says at once that a command would change devices', async () => {
    await where('Ask', 'dialect=furrow');
    await page.locator('#ask-command').fill('plough');
    await button('Ask 4 devices').click();
    await page.getByRole('alert').filter({ hasText: `"plough" is not one of Furrow's read-only commands` }).waitFor();
  });

  it('captures, and finds a line in what was captured', async () => {
    await where('Capture', 'stage=unproved');
    await button('Capture 8 devices').click();
    await page.getByText('8 captured').waitFor();
    await go('/captures');
    await page.getByLabel('Text in captures').fill('clock follow 10.77.0.5');
    await page.getByText(/^8 in 1\d captures$/).waitFor();
    await page.getByRole('link', { name: 'running' }).first().click();
    await page.getByText('phrase plain ••••••').waitFor();
    await button('Show secrets').click();
    await page.getByText('phrase plain a-fleet-of-ferries').waitFor();
  });

  it('previews an errand, does it when the number is typed, and takes it back', async () => {
    await where('Errand', 'dialect=furrow');
    await page.locator('#errand-lines').fill('journal to 10.77.0.7\nsocket 1/2\n  about "gate"');
    await button('Look at 4 devices').click();
    await page.getByText('4 devices would be changed.').waitFor();
    await page.getByText('instead of about "desk 2"').waitFor();
    expect(await button('Change 4 devices').isDisabled()).to.equal(true);
    await page.getByLabel('Number of devices').fill('4');
    await button('Change 4 devices').click();
    await page.getByText('4 brought over').waitFor();
    expect(f.lab.device('har-acc-4').print()).to.contain('about "gate"');
    await button('Take it back').click();
    await page.getByText('4 devices would be changed.').waitFor();
    await page.getByLabel('Number of devices').fill('4');
    await button('Change 4 devices').click();
    await page.getByText('4 brought over').waitFor();
    expect(f.lab.device('har-acc-4').print()).to.contain('about "desk 2"');
  });

  it('shows on the page of a device what runs there', async () => {
    await go('/devices/har-acc-4?show=fleet');
    await page.getByRole('link', { name: 'running' }).first().waitFor();
    await button('Capture it').click();
    await page.getByText(/1 (captured|unchanged)/).waitFor();
  });

  it('shows who differs, takes one difference over with its impact, and pushes the rest', async () => {
    const value = ['10.77.0.5', '10.77.0.6'];
    await f.client.call('value.put', { body: { setting: 'time.servers', layer: 'everywhere', mode: 'set', value } });
    const source =
      '@part "time" owns "clock "\nclock zone @{set.time.zone ?? "Europe/London"}\n@for server of set.time.servers\nclock follow @{server}\n@end\n@end\n';
    await f.client.add('template', { name: 'plain', dialect: 'furrow', source });
    for (const ref of ['har-acc-1', 'har-acc-2']) {
      await f.client.call('edition.make', { params: { ref }, body: { apply: true } });
      const body = { insist: true };
      await f.client.call('edition.publish', {
        params: { ref, number: '1' },
        body,
        reason: 'it never boots from here',
      });
      f.lab.furrow(ref).memory.load('clock follow 10.77.0.99\nclock zone Europe/Oslo\n');
    }
    await where('Compare', 'name=har-acc-1 or name=har-acc-2');
    await button('Compare 2 devices').click();
    await page.getByText('2 differs').first().waitFor();
    await page.getByText('2 lines not as in edition 1, in time').waitFor();

    await go('/drift');
    await page.getByText('2 of 2 compared devices do not run what they should.').waitFor();
    await page.getByRole('link', { name: 'har-acc-1' }).click();
    await page.getByText(/It differs from edition 1 in 2 lines/).waitFor();
    await button('Take it over …').click();
    await page.getByLabel('setting time.zone of har-acc-1 is Europe/Oslo').check();
    await button('See what it would change').click();
    await page.getByRole('dialog').getByText('1 device').first().waitFor();
    await button('Take 1 over').click();
    await page.getByText(/1 taken over/).waitFor();
    await f.client.call('edition.make', { params: { ref: 'har-acc-1' }, body: { apply: true } });
    const params = { ref: 'har-acc-1', number: '2' };
    await f.client.call('edition.publish', { params, body: { insist: true }, reason: 'it never boots from here' });

    // The page hears of it by itself, and of what the push came to.
    await page.getByText(/It differs from edition 2 in 1 line /).waitFor();
    await button(/^Bring it to edition 2/).click();
    await page.getByText('1 device would be changed.').waitFor();
    await page.getByLabel('Number of devices').fill('1');
    await button('Change 1 device').click();
    await page.getByText('1 brought over').first().waitFor();
    expect(f.lab.device('har-acc-1').print()).to.contain('clock zone Europe/Oslo').and.not.contain('10.77.0.99');
    await go('/drift');
    await page.getByText('1 of 2 compared devices do not run what they should.').waitFor();
    await button('Push to 1 device …').click();
    await page.getByText('1 device would be changed.').waitFor();
    await button('Drop it').click();
  });

  it('restarts a device, and puts back what was captured of it', async () => {
    await go('/devices/har-acc-3?show=fleet');
    await button('Restart …').click();
    await page.getByText('1 device would be restarted.').waitFor();
    await page.getByLabel('Number of devices').fill('1');
    await button('Restart 1 device').click();
    await page.getByText(/restarted, and back after/).waitFor();
    f.lab.furrow('har-acc-3').memory.take([], 'journal to 10.77.0.66');
    await go('/devices/har-acc-3?show=fleet');
    await page.getByRole('link', { name: 'running' }).first().click();
    await button('Restore it …').click();
    await page.getByText('journal to 10.77.0.66').waitFor();
    await page.getByLabel('Number of devices').fill('1');
    await button('Change 1 device').click();
    await page.getByText('1 brought over').first().waitFor();
    expect(f.lab.device('har-acc-3').print()).not.to.contain('10.77.0.66');
  });

  it('takes the checks that ship, judges them, mends one, and lets a device off another until a day', async () => {
    await go('/checked');
    await button('Take the set that ships').click();
    await page.getByRole('row').filter({ hasText: 'Is managed by SSH only' }).waitFor();
    f.lab.furrow('har-acc-2').memory.take([], 'bare on');
    f.lab.furrow('har-acc-2').memory.take([], 'journal to 10.77.0.44');
    await button('Judge now').click();
    await page.getByRole('heading', { name: /^Check #/ }).waitFor();
    const broken = page.getByLabel('Does not hold');
    await broken.getByText('another way in is open: bare on').waitFor();
    await broken.getByText('runs, and is not stored: bare on').waitFor();
    await page
      .getByLabel('Not known')
      .getByText(/no version is wanted of it/)
      .waitFor();

    // The text with its fault beside it, and what it would find.
    await go('/checks/ssh-only');
    const text = page.getByLabel('Text of the check');
    const good = await text.inputValue();
    await text.fill('@{runing.text}');
    await page.getByText('did you mean "running"?').waitFor();
    expect(await button('Save the text').isDisabled()).to.equal(true);
    await text.fill(`${good}@remark as it was\n`);
    await page.getByLabel('Tried').waitFor();
    await button('Save the text').click();
    await page.getByText('Nothing was judged yet.').waitFor();
    await button('Judge it now').click();
    await page.getByLabel('Does not hold').getByText('another way in is open: bare on').waitFor();

    // On the page of the device: an exception with an end, and a push that stores what runs.
    await go('/devices/har-acc-2?show=fleet');
    const row = page.getByRole('row').filter({ hasText: 'another way in is open: bare on' });
    await row.getByRole('button', { name: 'Except …' }).click();
    const drawer = page.getByRole('dialog');
    await drawer.getByLabel('Until').fill('2999-12-31');
    await drawer.getByLabel('Why').fill('until the old console is gone');
    await drawer
      .getByRole('button', { name: /^(Add|Save)/ })
      .first()
      .click();
    await page.getByText('until 2999-12-31: until the old console is gone').waitFor();
    await go('/checked');
    const counted = page.getByRole('row').filter({ hasText: 'ssh-only' });
    await counted.waitFor();
    expect(await counted.getByRole('cell').allInnerTexts()).to.include.members(['8', '1']);
    await go('/');
    await page.getByText('A check does not hold').first().waitFor({ state: 'detached' });
  });

  it('sets the clocks by an operation, runs a routine with blanks, and the same again', async () => {
    f.lab.device('har-acc-1').options.faults.add('clock-astray');
    await where('Operate', 'name=har-acc-1 or name=har-xr-1');
    await page.getByLabel('What they are told to do').click();
    await page.locator('.ant-select-item-option').filter({ hasText: 'Set the clock' }).click();
    await button('Look at 2 devices').click();
    await page.getByText('2 devices would be told so.').waitFor();
    await page.getByLabel('Number of devices').fill('2');
    await button('Tell 2 devices').click();
    await page.getByText('2 done').waitFor();
    await page
      .getByText(/^› har-acc-1 clock to /)
      .or(page.getByText('clock to ').first())
      .first()
      .waitFor();
    f.lab.device('har-acc-1').options.faults.clear();

    // Nobody fills in a blank: all that is missing is told.
    await f.client.call('routine.takeShipped', { body: {} });
    await go('/routines/furrow-desk-port');
    await page.getByLabel('Which devices').fill('name=har-acc-1');
    await page.keyboard.press('Tab');
    await button('Look at it').click();
    await page
      .getByRole('alert')
      .getByText(/nothing was said for vlan/)
      .waitFor();
    await page
      .getByRole('alert')
      .getByText(/nothing was said for port/)
      .waitFor();
    await page.getByLabel(/^port/).fill('1/3');
    await page.getByLabel(/^vlan/).fill('352');
    await button('Look at it').click();
    await page.getByText('1 device would be changed.').waitFor();
    await page.getByLabel('Number of devices').fill('1');
    await button('Change 1 device').click();
    await page.getByText('1 brought over').waitFor();
    await page.getByText('interfaces, before and after').waitFor();
    await button('Again').click();
    await page.getByText('1 already right').waitFor();
    expect(faults).to.deep.equal([]);
  });

  it('writes a sheet with its faults beside it, and tries it on a session', async () => {
    await go('/dialects/furrow');
    const sheet = page.getByLabel('Sheet, as YAML');
    await page.getByText('No faults.').waitFor();
    const text = await sheet.inputValue();
    await sheet.fill(text.replace('keep: keep', 'kepe: keep'));
    await page.getByText('unknown key "kepe"; did you mean keep?').waitFor();
    expect(await button('Save the sheet').isDisabled()).to.equal(true);
    await sheet.fill(text.replace('title: Furrow', 'title: Furrow of ours'));
    await page.getByText('No faults.').waitFor();
    await page.getByLabel('Recorded session').fill('quay: tell about\nmodel LF-24\nquay: ');
    await button('Try on the session').click();
    await page.getByText('model=LF-24').waitFor();
    await button('Save the sheet').click();
    await page.getByRole('heading', { name: /its own/ }).waitFor();
  });

  it('looks up live, and shows what is watched', async () => {
    await where('Ask', 'stage=unproved');
    await page.getByLabel('Questions').click();
    await page.keyboard.type('interfaces');
    await page.keyboard.press('Enter');
    await page.keyboard.press('Escape');
    await button('Ask 8 devices').click();
    await page.getByText('8 answered').waitFor();
    await go('/live?q=10.77.96.0%2F24');
    await page.getByRole('cell', { name: '10.77.96.12/24' }).waitFor();
    await page.getByText('agree').first().waitFor();
    await go('/watch');
    await page.getByText('Nothing is watched').waitFor();
    expect(faults).to.deep.equal([]);
  });
});
