import { chromium, type Browser, type Page } from 'playwright-core';

/** Debian's Chromium, without anything that would call home. */
export const openBrowser = (): Promise<Browser> =>
  chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });

export async function signedInPage(
  browser: Browser,
  url: string,
  name: string,
  password: string,
  colorScheme: 'light' | 'dark' = 'light',
): Promise<Page> {
  // Without motion: what is clicked while it still slides into its place loses the click on a busy machine.
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    colorScheme,
    reducedMotion: 'reduce',
  });
  const page = await context.newPage();
  await page.goto(url);
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('heading', { name: 'Today' }).waitFor();
  return page;
}
