/** The lab as a process of its own: `lab FILE FOLDER [DIAL-MAP] [MAIL-PORT]`. Its control address goes to the parent and into the folder. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { AddressInfo } from 'node:net';
import { serve } from '@hono/node-server';
import { labControl } from './control.ts';
import { Lab } from './lab.ts';
import { Mailbox } from './mail.ts';

const [file = 'demo/lab.yaml', folder = '.pine/demo/lab', row, mailPort] = process.argv.slice(2);
const mail = new Mailbox();
if (mailPort !== undefined) await mail.open(Number(mailPort));
const lab = Lab.fromFile(file, folder, row === undefined ? {} : { dialMap: row.split(',').map((one) => one.trim()) });
const server = serve({ fetch: labControl(lab, mail).fetch, hostname: '127.0.0.1', port: 0 }, () => {
  const { port } = server.address() as AddressInfo;
  const url = `http://127.0.0.1:${port}`;
  writeFileSync(join(folder, 'control'), url);
  lab.start();
  process.send?.({ url });
});
let stopping = false;
const stop = () => {
  if (stopping) return;
  stopping = true;
  if (mailPort !== undefined) void mail.close();
  void lab.stop().then(() => process.exit(0));
};
for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP'] as const) process.on(signal, stop);
process.on('disconnect', stop);
