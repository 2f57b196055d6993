/** Furrow: indented lines that take effect at once and are lost at power-off unless kept. Its grammar is in docs/. */
import { type DialectDescription, type WayIn } from './description.ts';
import { parseIndented } from '../tree.ts';

/** `lane 304` of a record's `vlan304`. */
const faceOf = (name: string): string => name.replace(/^vlan([0-9]+)$/, 'lane $1');

function wayIn(text: string): WayIn {
  const way: WayIn = { addresses: [], gateway: undefined, users: [], shell: false, callHome: undefined };
  for (const { text: line, children } of parseIndented(text)) {
    const face = /^face (.+)$/.exec(line)?.[1];
    const user = /^account (\S+)$/.exec(line)?.[1];
    const by = /^way 0\.0\.0\.0\/0 by (\S+)$/.exec(line)?.[1];
    const report = /^report to (\S+)$/.exec(line)?.[1];
    if (by) way.gateway = by;
    if (report) way.callHome = report;
    if (line === 'shell on') way.shell = true;
    for (const child of children) {
      const address = /^inet (\S+)$/.exec(child.text)?.[1];
      if (face && address) way.addresses.push({ on: face, address });
      const phrase = /^phrase (sealed|plain) (\S+)$/.exec(child.text);
      if (user && phrase) way.users.push({ name: user, password: phrase[2] ?? '', sealed: phrase[1] === 'sealed' });
    }
  }
  return way;
}

export const furrow: DialectDescription = {
  name: 'furrow',
  title: 'Furrow',
  boot: {
    vendorClass: 'larkfield',
    transport: 'tftp',
    fileName: (device) => `${device}.furrow`,
    always: [66, 67, 150],
  },
  shell: {
    port: 22,
    prompt: /(?:^|\n)[A-Za-z0-9._-]+(?:\/[a-z]+)?: $/,
    refusal: /^(not taken|not understood): (.*)$/m,
    commands: { particulars: 'tell about', running: 'tell now', kept: 'tell kept', keep: 'keep' },
    particulars: {
      model: /^model +(\S+)/m,
      serial: /^serial +(\S+)/m,
      version: /^version +(\S+)/m,
      cards: /^card +(\S+) +(\S+) +(\S+)/gm,
    },
  },
  heads: [
    'name',
    'clock zone',
    'clock follow',
    'resolve suffix',
    'resolve via',
    'journal to',
    'alert to',
    'greeting',
    'account',
    'lane',
    'socket',
    'face',
    'way',
    'shell',
    'report to',
  ],
  wayIn,
  interfaceName: faceOf,
};
