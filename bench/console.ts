/** The console in a browser, in the small estate and in the large one. */
import { openBrowser, signedInPage } from '../ops/browser.ts';
import { PASSWORD } from '../ops/stack.ts';
import { inEstate, LARGE, SMALL } from './lists.ts';
import { timesOf, type Row } from './measure.ts';

const ROUNDS = 5;
const SCROLLED = 500;
/** A page that does not answer for longer than that feels stuck. */
const STUCK_MS = 250;

interface Felt {
  listMs: number;
  filterMs: number;
  /** The longest stretch in which the page answered nothing while it was scrolled through hundreds of rows. */
  stuckMs: number;
}

export async function consoleRows(): Promise<Row[]> {
  const few = await feltAt(SMALL);
  const many = await feltAt(LARGE);
  const beside = (what: string, of: (felt: Felt) => number): Row => ({
    what: `console: ${what}, at ${LARGE.toLocaleString('en')} devices beside ${SMALL.toLocaleString('en')}`,
    figure: `${of(many).toFixed(0)} ms`,
    reference: `${of(few).toFixed(0)} ms`,
    ratio: of(few) / of(many),
    aim: 0.5,
  });
  return [
    beside('from a click to the list of devices', (felt) => felt.listMs),
    beside('from typing a selection to its rows', (felt) => felt.filterMs),
    {
      what: `console: the longest that a page did not answer while ${SCROLLED} rows were scrolled through, beside ${STUCK_MS} ms`,
      figure: `${many.stuckMs.toFixed(0)} ms`,
      reference: `${STUCK_MS} ms`,
      ratio: STUCK_MS / many.stuckMs,
      aim: 1,
    },
  ];
}

/** In the page: watches for long tasks from now on. */
const WATCH = `window.longest = 0; new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) window.longest = Math.max(window.longest, entry.duration);
}).observe({ entryTypes: ['longtask'] })`;

const feltAt = (devices: number): Promise<Felt> =>
  inEstate(devices, async (_estate, start) => {
    const service = await start();
    const browser = await openBrowser();
    try {
      const page = await signedInPage(browser, service.url, 'engineer', PASSWORD);
      page.setDefaultTimeout(30_000);
      const rows = page.locator('tbody tr.ant-table-row');
      const [lists, filters]: [number[], number[]] = [[], []];
      for (let i = 0; i < ROUNDS; i += 1) {
        await page.getByRole('link', { name: 'Places' }).click();
        await rows.first().waitFor();
        let began = performance.now();
        await page.getByRole('link', { name: 'Devices' }).click();
        await page
          .locator('tbody a', { hasText: /-(acc|core|xr)-\d+$/ })
          .first()
          .waitFor();
        lists.push(performance.now() - began);
        began = performance.now();
        await page
          .getByLabel('Key begins with, or a selection')
          .fill(`duty=core stage=${i % 2 ? 'serving' : 'unproved'}`);
        await page.locator('.filters .count', { hasText: 'match' }).waitFor();
        filters.push(performance.now() - began);
      }
      await page.goto(`${service.url}/devices`);
      await rows.nth(59).waitFor();
      await page.evaluate(WATCH);
      for (let i = 0; i < 80 && (await rows.count()) < SCROLLED * 0.9; i += 1) {
        await page.mouse.wheel(0, 6000);
        await page.waitForTimeout(100);
      }
      const stuckMs = Number(await page.evaluate('window.longest'));
      return { listMs: timesOf(lists).median, filterMs: timesOf(filters).median, stuckMs: Math.max(1, stuckMs) };
    } finally {
      await browser.close();
    }
  });
