/** Makes the pictures of docs/screenshots anew, on a fresh demo of their own. */
import { mkdirSync } from 'node:fs';
import { loadDemo } from '@zpine/demo/load';
import { openBrowser, signedInPage } from './browser.ts';
import { clientFor, databaseEnv, makeUsers, PASSWORD, startBuiltService, throwawayMariadb } from './stack.ts';
import { type Page } from 'playwright-core';

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
  { name: 'devices', path: '/devices' },
  { name: 'device', path: '/devices/ard-acc-1' },
  { name: 'prefixes', path: '/prefixes' },
  { name: 'prefix', path: '/prefixes/10.77.16.0%2F24' },
  {
    name: 'form',
    path: '/racks',
    steps: async (page) => {
      await page.getByRole('button', { name: 'Add a rack' }).click();
      await page.getByRole('dialog').getByLabel('Name').fill('Quay 2');
      await page.getByRole('dialog').getByRole('button', { name: 'Save', exact: true }).click();
      await page.getByText('did you mean quay-2?').waitFor();
    },
  },
  { name: 'history', path: '/history' },
  { name: 'dark', path: '/devices/har-core-1', dark: true },
];

mkdirSync(FOLDER, { recursive: true });
const database = await throwawayMariadb(['zpine_shots']);
const env = { ...databaseEnv(database, 'zpine_shots'), ZPINE_ORGANISATION: 'Brackwater Ferries' };
await makeUsers(env);
const service = await startBuiltService(env);
const browser = await openBrowser();
try {
  await loadDemo(await clientFor(service.url, 'admin'), () => undefined);
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
} finally {
  await browser.close();
  await service.stop();
  await database.stop();
}
