/** Users, tokens and passwords, as administrators and everybody else have them on the command line, in the API and the console. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { Client } from '@zpine/contract/client';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { PASSWORD } from '../../ops/stack.ts';
import { refusal, testService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

const FIRST = 'the first of the harbour';
const SECOND = 'the second of the harbour';

describe('people and their tokens', function () {
  this.timeout(60_000);
  let bench: TestBench;
  const homes = ['admin', 'berg'].map((name) => mkdtempSync(join(tmpdir(), `zpine-${name}-`)));
  const [admin, berg] = homes.map((home) => zpineIn(home));
  const asAdmin = admin as ReturnType<typeof zpineIn>;
  const asBerg = berg as ReturnType<typeof zpineIn>;
  let browser: Browser;
  before(async () => {
    bench = await testService({}, 'dist/console');
    browser = await openBrowser();
    await asAdmin.zpineWith(`${PASSWORD}\n`, {}, 'sign-in', bench.url, '--user', 'admin');
  });
  after(async () => {
    await browser.close();
    await bench.stop();
    for (const home of homes) rmSync(home, { recursive: true, force: true });
  });
  const signIn = (password: string) => asBerg.zpineWith(`${password}\n`, {}, 'sign-in', bench.url, '--user', 't.berg');

  it('lets somebody in, as what is said, and shuts them out', async () => {
    const added = await asAdmin.zpineWith(`${FIRST}\n`, {}, 'user', 'add', 't.berg', 'viewer', '--title', 'Tora Berg');
    expect([added.status, added.out]).to.deep.equal([0, 't.berg may sign in as viewer\n']);
    expect((await signIn(FIRST)).status).to.equal(0);
    expect((await asBerg.zpine('user', 'list')).status).to.equal(1);
    expect(await asAdmin.well('user', 'list')).to.match(/t\.berg +viewer +Tora Berg +yes/);
    expect(await asAdmin.well('user', 'edit', 't.berg', '--role', 'engineer')).to.equal('t.berg, engineer');
    expect(await asAdmin.well('user', 'edit', 't.berg', '--shut-out')).to.equal('t.berg, engineer, may not sign in');
    expect((await asBerg.zpine('device', 'list')).status).to.equal(1);
    await asAdmin.well('user', 'edit', 't.berg', '--let-in');
    // What let them in before does not come back with that.
    expect((await asBerg.zpine('device', 'list')).status).to.equal(1);
    expect((await signIn(FIRST)).status).to.equal(0);
    const last = await asAdmin.zpine('user', 'edit', 'admin', '--role', 'viewer');
    expect([last.status, last.err.split('\n')[0]]).to.deep.equal([
      1,
      'refused: the last administrator cannot be removed or lose that role',
    ]);
  });

  it('changes their own password, with the one of now; what was signed in elsewhere is signed out', async () => {
    const wrong = await asBerg.zpineWith(`not this one\n${SECOND}\n`, {}, 'password');
    expect(wrong.status).to.equal(1);
    const short = await asBerg.zpineWith(`${FIRST}\nshort\n`, {}, 'password');
    expect(short.status).to.equal(1);
    const changed = await asBerg.zpineWith(`${FIRST}\n${SECOND}\n`, {}, 'password');
    expect([changed.status, changed.out]).to.deep.equal([0, 'changed; you are signed out everywhere else\n']);
    expect((await signIn(FIRST)).status).to.equal(1);
    expect((await signIn(SECOND)).status).to.equal(0);
    const other = await asAdmin.zpineWith(`${FIRST}\n`, {}, 'user', 'password', 't.berg');
    expect(other.out).to.equal('t.berg has another password, and is signed out everywhere\n');
    expect((await signIn(SECOND)).status).to.equal(1);
    expect((await signIn(FIRST)).status).to.equal(0);
  });

  it('makes tokens for programs: shown once, of no higher role, with their last use, good until taken back', async () => {
    expect((await asBerg.zpine('token', 'add', 'too much', '--role', 'admin')).err).to.contain('refused');
    const secret = await asBerg.well('token', 'add', 'nightly export', '--role', 'viewer');
    const row = async () => /^(\d+) +nightly export +viewer .*?(never|ago)$/m.exec(await asBerg.well('token', 'list'));
    expect((await row())?.[2]).to.equal('never');
    expect(await asBerg.well('--json', 'token', 'list')).not.to.contain(secret);
    const program = new Client({ url: bench.url, token: secret, via: 'api' });
    await program.list('device');
    expect((await refusal(program.add('site', { code: 'ard' }))).code).to.equal('role-insufficient');
    const [, id = '', used] = (await row()) ?? [];
    expect(used).to.equal('ago');
    expect(await asBerg.well('token', 'remove', id)).to.equal(`token ${id} is good for nothing any more`);
    expect((await refusal(program.list('device'))).status).to.equal(401);
    expect((await asBerg.zpine('token', 'remove', id)).status).to.equal(1);
    // Nobody takes back what is another's.
    const theirs = /^(\d+) /m.exec((await asAdmin.well('token', 'list')).split('\n')[1] ?? '')?.[1] ?? '';
    expect((await asBerg.zpine('token', 'remove', theirs)).status).to.equal(1);
  });

  it('has a page of their own for both', async () => {
    const page: Page = await signedInPage(browser, bench.url, 't.berg', FIRST);
    await page.getByTitle('Your password and tokens').click();
    await page.getByRole('heading', { name: 'Tora Berg' }).waitFor();
    await page.getByPlaceholder('what it is for').fill('a script on the quay');
    await page.getByRole('button', { name: 'Make a token' }).click();
    const secret = await page.getByRole('dialog').locator('.mono').innerText();
    expect((await new Client({ url: bench.url, token: secret, via: 'api' }).list('device')).items).to.deep.equal([]);
    await page.getByRole('dialog').getByRole('button', { name: 'OK' }).click();
    const row = page.getByRole('row').filter({ hasText: 'a script on the quay' });
    await row.getByRole('button', { name: 'Withdraw' }).click();
    await row.waitFor({ state: 'detached' });
    await page.getByLabel('Current password').fill('not this one');
    await page.getByLabel('New password').fill(SECOND);
    await page.getByLabel('Once more').fill('something else');
    await page.getByRole('button', { name: 'Change it' }).click();
    await page.getByText('the two are not the same').waitFor();
    await page.getByLabel('Once more').fill(SECOND);
    await page.getByRole('button', { name: 'Change it' }).click();
    await page.locator('.ant-form-item-explain-error').first().waitFor();
    await page.getByLabel('Current password').fill(FIRST);
    await page.getByRole('button', { name: 'Change it' }).click();
    await page.getByText('You are signed out everywhere else').waitFor();
    expect((await signIn(SECOND)).status).to.equal(0);
  });

  it('gives figures to whoever watches the service', async () => {
    expect((await fetch(`${bench.url}/metrics`)).status).to.equal(401);
    const headers = { Authorization: `Bearer ${bench.tokens.viewer}` };
    const response = await fetch(`${bench.url}/metrics`, { headers });
    const text = await response.text();
    expect(response.headers.get('content-type')).to.match(/^text\/plain/);
    for (const line of [
      /^zpine_info\{version="[^"]+"\} 1$/m,
      /^zpine_store_differences 0$/m,
      /^zpine_store_checked_seconds 0$/m,
      /^zpine_jobs_failing 0$/m,
    ])
      expect(text).to.match(line);
    for (const word of [FIRST, SECOND, PASSWORD, 't.berg']) expect(text).not.to.contain(word);
  });
});
