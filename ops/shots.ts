/** Makes the pictures of docs/screenshots anew, on a fresh demo of their own. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Client } from '@zpine/contract/client';
import { loadDemo } from '@zpine/demo/load';
import { keptOf } from '@zpine/lab/kept';
import { Lab } from '@zpine/lab/lab';
import { openBrowser, signedInPage } from './browser.ts';
import { bootNet, clientFor, databaseEnv, makeUsers, PASSWORD, startBuiltService, throwawayMariadb } from './stack.ts';
import type { Page } from 'playwright-core';

const FOLDER = 'docs/screenshots';

interface Shot {
  name: string;
  path: string;
  /** What is done on the page before the picture. */
  steps?: (page: Page) => Promise<void>;
  dark?: boolean;
}

const shots: Shot[] = [
  { name: 'today', path: '/' },
  { name: 'device', path: '/devices/ard-acc-1' },
  { name: 'arrivals', path: '/arrivals' },
  { name: 'reach', path: '/fleet/2' },
  {
    name: 'booting',
    path: '/devices/ard-acc-1?show=booting',
    steps: async (page) => {
      await page
        .getByRole('row', { name: /DHCP REQUEST/ })
        .getByRole('button')
        .first()
        .click();
      await page.getByText('What changed').waitFor();
      await page.mouse.move(700, 500);
      await page.mouse.wheel(0, 5000);
      await page.waitForTimeout(300);
    },
  },
  {
    name: 'edition',
    path: '/devices/ard-acc-1?show=edition',
    steps: async (page) => page.getByRole('option', { name: 'alert to 10.77.0.7' }).click(),
  },
  {
    name: 'settings',
    path: '/devices/cob-acc-1?show=settings',
    steps: async (page) =>
      page
        .getByRole('row', { name: /time\.servers/ })
        .getByRole('button')
        .first()
        .click(),
  },
  {
    name: 'template',
    path: '/templates/furrow-access?line=8',
    steps: async (page) => {
      await page.locator('#preview-device').click();
      await page.keyboard.type('cob-acc-1');
      await page.locator('.ant-select-item-option').filter({ hasText: 'cob-acc-1' }).first().click();
      await page.getByRole('option', { name: 'clock follow 10.77.32.12' }).click();
    },
  },
  {
    name: 'space',
    path: '/prefixes/10.77.16.0%2F20',
    steps: async (page) => page.getByRole('button', { name: 'free: 10.77.19.0 to 10.77.19.255' }).click(),
  },
  {
    name: 'siteplan',
    path: '/site-plans/landing',
    steps: async (page) => {
      await page.getByRole('button', { name: 'Apply to a site …' }).click();
      await page.getByRole('dialog').getByLabel('Site').click();
      await page.keyboard.type('gul');
      await page.locator('.ant-select-item-option').filter({ hasText: 'gul' }).first().click();
      await page.getByRole('dialog').getByRole('button', { name: 'Look' }).click();
      await page.getByText('15 new').waitFor();
    },
  },
  { name: 'profile', path: '/bootprofiles/larkfield-loader' },
  {
    name: 'leases',
    path: '/prefixes/10.77.48.0%2F24',
    steps: async (page) => page.getByRole('heading', { name: 'Leases' }).scrollIntoViewIfNeeded(),
  },
  {
    name: 'rack',
    path: '/racks/har%2Fequipment%2Fe1',
    steps: async (page) =>
      page
        .getByRole('figure', { name: 'Front' })
        .getByTitle(/^har-acc-2/)
        .click(),
  },
  {
    name: 'impact',
    path: '/vlans/ard%2F304',
    steps: async (page) => {
      await page.getByRole('button', { name: 'Edit' }).click();
      await page.getByRole('dialog').getByLabel('Number').fill('305');
      await page.getByRole('button', { name: 'See what it would change' }).click();
      await page.getByText('one thing would go wrong').waitFor();
      await page.getByRole('region', { name: 'Impact' }).scrollIntoViewIfNeeded();
      await page.locator('.impact').evaluate('(element) => element.scrollIntoView()');
    },
  },
  {
    name: 'list',
    path: '/import',
    steps: async (page) => {
      await page.getByText('Names and addresses').first().click();
      await page
        .getByLabel('List', { exact: true })
        .fill(
          '[tower]\nold-1 ip=10.91.1.11 enable_password=up-the-mast\nold-2 ip=10.91.1.12 port=2222\n[access:groups]\ntower\n[access:values]\nuser = netops\npassword = "rope walk 7"\nntp = 10.77.0.5\n',
        );
      await page.getByText('What its words mean').waitFor();
      await page.getByText('What its words mean').scrollIntoViewIfNeeded();
    },
  },
  { name: 'drift', path: '/drift' },
  { name: 'check', path: '/checks/time-servers' },
  { name: 'push', path: '/fleet/6', dark: true },
];

/** An option of one's own, and how a loader boots; what was heard before is told otherwise since. */
async function bootOtherwise(client: Client): Promise<void> {
  const fields = { name: 'boot.console', about: 'Where consoles are logged', valueType: 'address', dhcpOption: '231' };
  await client.add('setting', { ...fields, tell: 'unasked' });
  await client.add('bootprofile', {
    name: 'larkfield-loader',
    dialect: 'furrow',
    classes: 'larkfield loader, larkfield LF-24',
    file: '{device}.furrow',
    names: '{mac}.furrow',
    unasked: 'tftp-server-addresses',
  });
  const put = (body: { layer: 'bootprofile' | 'site'; of: string; value: string }) =>
    client.call('value.put', { body: { setting: 'boot.console', ...body } });
  await put({ layer: 'site', of: 'ard', value: '10.77.0.8' });
  await put({ layer: 'bootprofile', of: 'larkfield-loader', value: '10.77.0.9' });
}

/** Ardle serves, Cobbleholm is stuck, Skerry is a stranger; one more device is prepared and waited for. */
async function bootSome(client: Client): Promise<void> {
  lab.device('cobbleholm').options.faults.add('rejects-line');
  lab.start();
  await client.edit(
    'rack',
    'ard/closet/w1',
    { heightU: 15, note: 'The door opens to the left' },
    { reason: 'a bigger one' },
  );
  await client.editMany('device', { where: 'site=mos', changes: {}, addLabels: ['quay'], apply: true });
  await client.add('site', { code: 'gul', title: 'Gullwick', area: 'south-line' });
  const ref = 'ske-acc-2';
  await client.add('device', { name: ref, duty: 'access', model: 'larkfield/lf-24', site: 'ske' });
  await client.add('box', { serial: 'LF24-0188-07', model: 'larkfield/lf-24', mac: '00:00:5e:00:53:d1', device: ref });
  await client.call('device.assignManagement', { params: { ref }, body: {} });
  await client.add('cable', { from: `${ref}:1/24`, to: 'ske-acc-1:1/23', kind: 'cat6' });
  for (const port of [`${ref}:1/24`, 'ske-acc-1:1/23'])
    await client.edit('interface', port, { mode: 'trunk', tagged: [304, 316] });
  const { number } = await client.call('edition.make', { params: { ref }, body: {} });
  await client.call('edition.publish', { params: { ref, number: String(number) }, body: { openHours: 72 } });
  for (let i = 0; i < 100; i += 1) {
    const { items } = await client.call('arrival.list', { query: {} });
    if (items.some((a) => a.stage === 'serving') && items.some((a) => a.diagnosis?.code === 'line-rejected')) return;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  throw new Error('the switches of the pictures did not come as far as they should');
}

const SHED = [1, 2, 3, 4, 5, 6, 7];
const shedAddress = (n: number): string => `10.77.0.${50 + n}`;

/** Seven switches of a shed that nobody modelled, one of them without its second time server; one is shut. */
async function takeIn(client: Client): Promise<void> {
  for (const n of SHED) {
    const name = `har-shed-${n}`;
    lab.add({
      name,
      model: 'LF-24',
      serial: `LF24-0300-0${n}`,
      mac: `02:00:00:00:5d:0${n}`,
      kept: keptOf.furrow({
        name,
        address: `${shedAddress(n)}/24`,
        gateway: '10.77.0.1',
        user: 'netops',
        password: 'rope-walk-77',
        timeServers: n === 5 ? ['10.77.0.5'] : ['10.77.0.5', '10.77.0.6'],
      }),
      faults: n === 3 ? ['old-algorithms'] : n === 7 ? ['mute'] : [],
    });
    lab.device(name).on();
  }
  const text = SHED.map((n) => `har-shed-${n} ${shedAddress(n)}`).join('\n');
  const login = { user: 'netops', password: 'rope-walk-77', label: 'shed' };
  await client.call('import.paste', { body: { text, dialect: 'furrow', ...login, apply: true } });
  // They take a moment to open their doors.
  await new Promise((resolve) => setTimeout(resolve, 2000));
  const where = 'labels=shed';
  const first = await settled(
    client,
    await client.call('run.reach', { body: { devices: ['har-shed-1', 'har-shed-2'] } }),
  );
  await client.call('hostKey.accept', { body: { run: first } });
  // The picture: two known, four to be accepted, one shut, one of long ago.
  const second = await settled(client, await client.call('run.reach', { body: { where } }));
  await client.call('hostKey.accept', { body: { run: second } });
  const expect = [{ kind: 'has' as const, text: '10.77.0.6' }];
  await settled(client, await client.call('run.ask', { body: { where, asks: [{ command: 'tell clock' }], expect } }));
  const lines = 'journal to 10.77.0.7\nsocket 1/3\n  about "to the crane"\n  state still\n- clock follow 10.77.0.6\n';
  await settled(
    client,
    await client.call('run.errand', {
      body: {
        devices: ['har-shed-1', 'har-shed-2', 'har-shed-4', 'har-shed-5'],
        lines,
        questions: [],
        keep: true,
        everything: false,
      },
    }),
  );
}

/** What was done by hand on the switch that serves is found, and would be brought back. */
async function driftSome(client: Client): Promise<void> {
  lab
    .furrow('ardle')
    .memory.load(
      'clock follow 10.77.0.99\nsocket 1/1\n  about "closed"\n  state still\nlane 999\n  title "hidden cove"\n',
    );
  await settled(client, await client.call('run.compare', { body: { devices: ['ard-acc-1'] } }));
  // The rack was edited since, which makes the edition a stale one.
  await settled(client, await client.call('run.push', { body: { devices: ['ard-acc-1'], stale: true } }));
  await settled(client, await client.call('run.check', { body: {} }));
}

async function settled(client: Client, { id }: { id: number }): Promise<number> {
  for (let i = 0; i < 200; i += 1) {
    const { state } = await client.call('run.show', { params: { id: String(id) }, query: {} });
    if (state === 'ended' || state === 'previewed') return id;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error(`run #${id} did not end`);
}

const escaped = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');

/** What the command line says, as it stands in a terminal. */
async function terminal(): Promise<void> {
  const home = mkdtempSync(join(tmpdir(), 'zpine-terminal-'));
  const zpine = (args: string[], input = '') =>
    spawnSync(process.execPath, ['dist/zpine.js', ...args], {
      env: { ...process.env, XDG_CONFIG_HOME: home, NO_COLOR: '1' },
      input,
      encoding: 'utf8',
    }).stdout;
  zpine(['sign-in', service.url, '--user', 'admin'], `${PASSWORD}\n`);
  const drawn = ['rack', 'draw', 'ard/closet/w1'];
  const traced = ['cable', 'trace', 'ard-acc-1:1/1'];
  const text = [drawn, traced].map((args) => `$ zpine ${args.join(' ')}\n${zpine(args)}`).join('\n');
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.setContent(
    `<body style="margin:0;background:#143529;color:#f6f3ec"><pre style="margin:24px;font:15px/1.45 'DejaVu Sans Mono',monospace">${escaped(text)}</pre></body>`,
  );
  await page.screenshot({ path: `${FOLDER}/terminal.png` });
  await page.close();
  rmSync(home, { recursive: true, force: true });
}

mkdirSync(FOLDER, { recursive: true });
const database = await throwawayMariadb(['zpine_shots']);
const net = bootNet();
const env = { ...databaseEnv(database, 'zpine_shots'), ...net.env, ZPINE_ORGANISATION: 'Brackwater Ferries' };
const folder = mkdtempSync(join(tmpdir(), 'zpine-lab-'));
const lab = Lab.fromFile('demo/lab.yaml', folder, { dialMap: net.dialMap });
await makeUsers(env);
const service = await startBuiltService(env);
const browser = await openBrowser();
try {
  const client = await clientFor(service.url, 'admin');
  await loadDemo(client, () => undefined);
  await bootSome(client);
  await bootOtherwise(client);
  await takeIn(client);
  await driftSome(client);
  for (const scheme of ['light', 'dark'] as const) {
    const page = await signedInPage(browser, service.url, 'admin', PASSWORD, scheme);
    for (const { name, path, steps, dark } of shots) {
      if ((scheme === 'dark') !== Boolean(dark)) continue;
      await page.goto(`${service.url}${path}`);
      await page.getByText('live', { exact: true }).waitFor();
      await steps?.(page);
      await page.waitForTimeout(700);
      await page.screenshot({ path: `${FOLDER}/${name}.png` });
    }
    await page.context().close();
  }
  await terminal();
} finally {
  await browser.close();
  await lab.stop();
  rmSync(folder, { recursive: true, force: true });
  await service.stop();
  await database.stop();
}
