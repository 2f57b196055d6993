import { openBrowser, signedInPage } from './browser.ts';
const pass = process.argv[2] ?? '';
const b = await openBrowser();
const p = await signedInPage(b, 'http://127.0.0.1:7780', 'm.lind', pass);
for (const [path, name] of [['/bootprofiles/furrow-http','bp1'],['/bootprofiles','bp2'],['/settings/boot.console','bp3'],['/devices/ske-acc-1','bp4']] as const) {
  await p.goto('http://127.0.0.1:7780' + path); await p.waitForTimeout(1500); await p.screenshot({ path: `/tmp/${name}.png` });
}
await b.close();
