/** The routines that ship, by dialect: entered on request, and records like any other from then on, to be copied and changed. */
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { Refusal } from '@zpine/contract/errors';
import { nearest } from '@zpine/core/naming/names';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';

interface ShippedRoutine {
  name: string;
  title: string;
  dialect: 'furrow' | 'quill' | 'shale' | 'any';
  does?: 'ask';
  blanks?: string;
  source: string;
  questions?: string;
  expect?: string;
}

const VLAN = 'vlan: { is: number, least: 1, most: 4094 }';
const PORT = 'port: { is: port, about: A port of the device }';

const shipped: readonly ShippedRoutine[] = [
  {
    name: 'furrow-vlan',
    title: 'Makes a VLAN, carried on an uplink',
    dialect: 'furrow',
    blanks: `${VLAN}\ntitle: { is: text }\nuplink: { is: port, about: The port that carries it besides }\ncarried: { is: word, about: "All VLANs of that port, with commas between" }\n`,
    source: 'lane @{blank.vlan}\n  title "@{blank.title}"\nsocket @{blank.uplink}\n  lanes @{blank.carried}\n',
    questions: 'vlans',
    expect: '',
  },
  {
    name: 'furrow-desk-port',
    title: 'Puts a port into a VLAN, and switches it on',
    dialect: 'furrow',
    blanks: `${PORT}\n${VLAN}\nabout: { is: text, usual: desk }\n`,
    source: 'socket @{blank.port}\n  about "@{blank.about}"\n  lane @{blank.vlan}\n  state live\n',
    questions: 'interfaces',
  },
  {
    name: 'furrow-port-off',
    title: 'Switches a port off',
    dialect: 'furrow',
    blanks: `${PORT}\n`,
    source: 'socket @{blank.port}\n  state still\n',
    questions: 'interfaces',
  },
  {
    name: 'furrow-address',
    title: 'Gives the switch an address in a VLAN',
    dialect: 'furrow',
    blanks: `${VLAN}\naddress: { is: word, about: With its length }\n`,
    source: 'face lane @{blank.vlan}\n  at @{blank.address}\n',
    questions: 'interfaces',
  },
  {
    name: 'furrow-log-server',
    title: 'Sends its log to a server, too',
    dialect: 'furrow',
    blanks: 'server: { is: address }\n',
    source: 'journal to @{blank.server}\n',
  },
  {
    name: 'furrow-no-alerts-to',
    title: 'Sends no more alerts to a receiver, whatever the word',
    dialect: 'furrow',
    blanks: 'receiver: { is: address }\n',
    source: '- alert to @{blank.receiver} ...\n',
  },
  {
    name: 'furrow-time',
    title: 'Follows the time servers of its settings, and no others',
    dialect: 'furrow',
    source: '- clock follow ...\n@for server of set.time.servers\nclock follow @{server}\n@end\n',
    questions: 'time',
  },
  {
    name: 'quill-port-note',
    title: 'Says what a port is for',
    dialect: 'quill',
    blanks: `${PORT}\nnote: { is: text }\n`,
    source: 'port @{blank.port} [\n  note "@{blank.note}"\n]\n',
  },
  {
    name: 'quill-route',
    title: 'Sends a prefix to a gateway',
    dialect: 'quill',
    blanks: 'prefix: { is: word }\ngateway: { is: address }\n',
    source: 'route @{blank.prefix} [\n  by @{blank.gateway}\n]\n',
    questions: 'routes',
  },
  {
    name: 'quill-log-server',
    title: 'Sends its log to a server, too',
    dialect: 'quill',
    blanks: 'server: { is: address }\n',
    source: 'log [\n  server @{blank.server}\n]\n',
  },
  {
    name: 'shale-log-server',
    title: 'Sends its log to a server, too',
    dialect: 'shale',
    blanks: 'server: { is: address }\n',
    source: 'log @{blank.server}\n',
  },
  {
    name: 'shale-port',
    title: 'Switches a port on or off',
    dialect: 'shale',
    blanks: `${PORT}\nstate: { is: word, of: [up, down] }\n`,
    source: 'port @{blank.port} @{blank.state}\n',
    questions: 'interfaces',
  },
  {
    name: 'inventory',
    title: 'Name, version, serial number, and what is in the slots',
    dialect: 'any',
    does: 'ask',
    source: 'question version\nquestion hardware\n',
  },
  {
    name: 'gateway-reachable',
    title: 'Which way leads to its gateway',
    dialect: 'any',
    does: 'ask',
    source: 'question route address=@{device.management.gateway}\nquestion arp\n',
  },
  {
    name: 'who-is-in',
    title: 'Who may sign in, and who is signed in now',
    dialect: 'any',
    does: 'ask',
    source: 'question accounts\nquestion sessions\n',
  },
];

const forDevices = ({ dialect }: ShippedRoutine): string =>
  dialect === 'any' ? 'dialect!=none' : `dialect=${dialect}`;

export async function shippedRoutines(tx: Tx): Promise<ReplyOf<'routine.shipped'>> {
  const entered = new Set((await find(tx, 'routine', {})).map(({ name }) => name));
  return {
    items: shipped.map(({ name, title, dialect }) => ({ name, title, dialect, entered: entered.has(name) })),
  };
}

export async function takeShippedRoutines(
  tx: Tx,
  body: BodyOf<'routine.takeShipped'>,
): Promise<ReplyOf<'routine.takeShipped'>> {
  const names = shipped.map(({ name }) => name);
  for (const [i, name] of (body.routines ?? []).entries())
    if (!names.includes(name)) {
      const meant = nearest(name, names);
      throw Refusal.at(['routines', i], 'not-found', { kind: 'routine', ref: name, ...(meant ? { meant } : {}) });
    }
  const wanted = shipped.filter(({ name }) => body.routines === undefined || body.routines.includes(name));
  const entered = new Set((await find(tx, 'routine', {})).map(({ name }) => name));
  const fresh = wanted.filter(({ name }) => !entered.has(name));
  if (fresh.length > 0)
    await add(
      tx,
      'routine',
      fresh.map((one) => ({
        name: one.name,
        title: one.title,
        does: one.does ?? 'errand',
        devices: forDevices(one),
        source: one.source,
        ...(one.blanks ? { blanks: one.blanks } : {}),
        ...(one.questions ? { questions: one.questions } : {}),
        ...(one.expect ? { expect: one.expect } : {}),
      })),
    );
  return {
    added: fresh.map(({ name }) => name),
    standing: wanted.filter(({ name }) => entered.has(name)).map(({ name }) => name),
  };
}
