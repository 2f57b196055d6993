/** Rendering a configuration without a trace, beside the same text put together by hand-written code. */
import { readFileSync } from 'node:fs';
import { compileTemplate } from '@zpine/core/template/compile';
import { render } from '@zpine/core/template/render';
import { secretText, type Val, type ValMap } from '@zpine/core/template/values';
import { measure, type Row } from './measure.ts';

const PORTS = 48;
const BATCH = 50;

const read = (name: string): string => readFileSync(`demo/templates/${name}.pine`, 'utf8');

function data(n: number): Record<string, Val> {
  const ports = Array.from({ length: PORTS }, (_, i) => ({
    name: `1/${i + 1}`,
    description: i % 3 === 0 ? `desk ${i}` : null,
    mode: i === PORTS - 1 ? 'trunk' : 'access',
    vlan: i === PORTS - 1 ? null : 316,
    tagged: i === PORTS - 1 ? [304, 316, 328, 340, 352, 3901] : [],
    enabled: i % 5 !== 0,
  }));
  const vlans = [304, 316, 328, 340, 352, 3901].map((number) => ({ number, title: `lane ${number}`, use: null }));
  return {
    device: {
      name: `bench-acc-${n}`,
      management: {
        interface: 'vlan304',
        vlan: 304,
        address: '10.77.16.11/24',
        prefix: '10.77.16.0/24',
        gateway: '10.77.16.1',
        vrf: 'default',
      },
    },
    ports,
    vlans,
    boot: { life: 'http://10.77.0.10/life/x' },
    set: {
      banner: 'Brackwater Ferries\nFor staff only.',
      time: { zone: 'Europe/London', servers: ['10.77.0.5', '10.77.0.6'] },
      name: { domain: 'brackwater.example', servers: ['10.77.0.6'] },
      log: { servers: ['10.77.0.5'] },
      trap: { target: '10.77.0.5', word: secretText('bell-buoy-9') },
      access: { user: 'zpine' },
      users: { zpine: secretText('tide-table'), quay: secretText('rope') },
    },
  };
}

const crypt = (password: string): string => `$6$bench$${password.length}`;

/** The same lines, written out. */
function byHand(d: Record<string, Val>): string {
  const device = d.device as ValMap;
  const management = device.management as ValMap;
  const set = d.set as Record<string, ValMap> & { banner: string };
  const ports = d.ports as ValMap[];
  const vlans = d.vlans as ValMap[];
  const quote = (text: unknown) => `"${String(text).replace(/["\\]/g, '\\$&')}"`;
  let out = `name ${String(device.name)}\ngreeting\n`;
  for (const line of set.banner.split('\n')) out += `  | ${line}\n`;
  out += `clock zone ${String(set.time?.zone)}\n`;
  for (const server of (set.time?.servers ?? []) as string[]) out += `clock follow ${server}\n`;
  out += `resolve suffix ${String(set.name?.domain)}\n`;
  for (const server of (set.name?.servers ?? []) as string[]) out += `resolve via ${server}\n`;
  out += '\n';
  for (const server of (set.log?.servers ?? []) as string[]) out += `journal to ${server}\n`;
  out += `alert to ${String(set.trap?.target)} word bell-buoy-9\n\n`;
  for (const [user, length] of [
    ['quay', 4],
    ['zpine', 10],
  ] as const) {
    out += `account ${user}\n  phrase sealed $6$bench$${length}\n  rank ${user === set.access?.user ? 'full' : 'look'}\n`;
  }
  out += '\n';
  for (const vlan of vlans) out += `lane ${String(vlan.number)}\n  title ${quote(vlan.title)}\n`;
  out += '\n';
  for (const port of ports) {
    out += `socket ${String(port.name)}\n`;
    if (port.description) out += `  about ${quote(port.description)}\n`;
    if (port.vlan) out += `  lane ${String(port.vlan)}\n`;
    const tagged = port.tagged as number[];
    if (tagged.length > 0) out += `  lanes ${tagged.join(',')}\n`;
    out += `  state ${port.enabled ? 'live' : 'still'}\n`;
  }
  out += `\nface lane ${String(management.vlan)}\n  at ${String(management.address)}\nway 0.0.0.0/0 by ${String(management.gateway)}\nshell on\nreport to http://10.77.0.10/life/x\n`;
  return out;
}

export async function renderRows(): Promise<Row[]> {
  const fragments: Record<string, string> = {
    'furrow-greeting': read('furrow-greeting'),
    'furrow-accounts': read('furrow-accounts'),
  };
  const template = compileTemplate('furrow-access', read('furrow-access'), (name) => fragments[name]);
  const made = (n: number) =>
    render(template, { data: data(n), secrets: {}, host: { sha256: (t) => t, sha512crypt: crypt } })[0]?.text ?? '';
  if (made(1) !== byHand(data(1))) throw new Error('the two do not make the same text');
  const times = async (work: (n: number) => string) =>
    measure(200, (i) => {
      for (let n = 0; n < BATCH; n += 1) work(i * BATCH + n);
      return Promise.resolve();
    });
  const figure = (await times(made)).median / BATCH;
  const reference = (await times((n) => byHand(data(n)))).median / BATCH;
  return [
    {
      what: `a configuration of ${PORTS} ports, without a trace`,
      figure: `${(1000 / figure).toFixed(0)}/s`,
      reference: `${(1000 / reference).toFixed(0)}/s by hand-written code`,
      ratio: reference / figure,
      aim: 0.5,
    },
  ];
}
