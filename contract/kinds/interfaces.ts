/** What a device is made of: cards, ports, interfaces, and the cables between ports. */
import { cableColours, cableKindNames, portKindNames } from '@zpine/core/rack/ports';
import { kind } from '../kind.ts';

const cutAt = (text: string, sign: string): string[] => {
  const at = text.indexOf(sign);
  return at < 0 ? [text] : [text.slice(0, at), text.slice(at + 1)];
};
const joined = (parts: string[]): string => parts.join(':');

export const card = kind({
  name: 'card',
  path: 'cards',
  title: 'Card',
  titles: 'Cards',
  about: 'What fills a slot of a device, or of another card, and brings ports.',
  group: 'devices',
  key: { parts: ['device', 'slot'], make: joined, split: (key) => cutAt(key, ':') },
  fields: {
    device: { title: 'Device', required: true, part: true, fixed: true, type: 'ref', to: 'device' },
    slot: {
      type: 'portName',
      title: 'Slot',
      required: true,
      fixed: true,
      example: '3',
      about: '3/1 is slot 1 of the card in slot 3',
    },
    model: { type: 'ref', to: 'model', title: 'Model', required: true },
    serial: { type: 'code', title: 'Serial', unique: true },
    inside: { type: 'ref', to: 'card', title: 'In the card', derived: true, part: true },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'model', 'serial', 'labels', 'note'],
});

export const port = kind({
  name: 'port',
  path: 'ports',
  title: 'Port',
  titles: 'Ports',
  about: 'A socket on the hardware; cables end here. Models and cards bring them.',
  group: 'devices',
  key: { parts: ['device', 'name'], make: joined, split: (key) => cutAt(key, ':') },
  fields: {
    device: { title: 'Device', required: true, part: true, fixed: true, type: 'ref', to: 'device' },
    name: { type: 'portName', title: 'Name', required: true, fixed: true, example: '1/3' },
    kind: { type: 'choice', title: 'Kind', choices: portKindNames, default: 'ethernet', fixed: true },
    source: { type: 'choice', title: 'Comes with', choices: ['model', 'card', 'hand'], default: 'hand', derived: true },
    card: { type: 'ref', to: 'card', title: 'Card', derived: true, part: true },
    through: { type: 'ref', to: 'port', title: 'Goes on at', derived: true, about: 'The other side of a panel' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'kind', 'source', 'card', 'labels', 'note'],
});

export const interfaceForms = ['port', 'aggregate', 'vlan', 'sub-interface', 'loopback', 'routed'] as const;
const interfaceModes = ['access', 'trunk', 'routed'] as const;

type Form = (typeof interfaceForms)[number];

/** Which of these a form has beside what all forms have; the others belong to other forms. */
export const fieldsOfForm: Record<Form, readonly string[]> = {
  port: ['mode', 'vlan', 'tagged', 'memberOf', 'speedMbps'],
  aggregate: ['mode', 'vlan', 'tagged', 'speedMbps'],
  vlan: ['vlan'],
  'sub-interface': ['on', 'tag', 'vlan'],
  loopback: [],
  routed: ['on', 'tag', 'vlan', 'speedMbps'],
};
const formFields = [...new Set(Object.values(fieldsOfForm).flat())];

/** The fields that an interface of this form cannot have. */
export const notOfForm = (form: string): string[] =>
  formFields.filter((field) => !(fieldsOfForm[form as Form] ?? []).includes(field));

export const interfaceKind = kind({
  name: 'interface',
  path: 'interfaces',
  title: 'Interface',
  titles: 'Interfaces',
  about: 'The thing on a device that is configured: a port, a VLAN interface, a loopback.',
  group: 'devices',
  key: { parts: ['device', 'name'], make: joined, split: (key) => cutAt(key, ':') },
  fields: {
    device: { title: 'Device', required: true, part: true, fixed: true, type: 'ref', to: 'device' },
    name: { type: 'portName', title: 'Name', required: true, example: '1/3' },
    form: { type: 'choice', title: 'Form', choices: interfaceForms, default: 'port', fixed: true },
    description: { type: 'text', title: 'Description' },
    enabled: { type: 'bool', title: 'Enabled', default: true },
    mode: { type: 'choice', title: 'Mode', choices: interfaceModes, about: 'Of a port or an aggregate' },
    vlan: {
      type: 'ref',
      to: 'vlan',
      title: 'VLAN',
      about: 'Untagged on a port; its own on a VLAN interface. A number alone is one of the site of the device',
    },
    tagged: { type: 'numbers', title: 'Tagged VLANs', min: 1, max: 4094, example: '316, 328', about: 'Of a trunk' },
    on: {
      type: 'ref',
      to: 'interface',
      title: 'Sits on',
      part: true,
      about: 'Of a sub-interface, or of a named routed interface: the port or aggregate below it',
    },
    tag: { type: 'int', title: 'Tag', min: 1, max: 4094, about: 'Left empty, it is the untagged one' },
    memberOf: { type: 'ref', to: 'interface', title: 'Member of', about: 'The aggregate that the port belongs to' },
    speedMbps: { type: 'int', title: 'Speed', unit: 'Mbit/s', min: 10, max: 800_000, about: 'Left empty, as it finds' },
    vrf: { type: 'ref', to: 'vrf', title: 'VRF', default: 'default' },
    mac: { type: 'mac', title: 'MAC', unique: true },
    port: { type: 'ref', to: 'port', title: 'Port', derived: true, part: true },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'form', 'description', 'enabled', 'mode', 'vlan', 'tagged', 'vrf', 'mac'],
});

export const cable = kind({
  name: 'cable',
  path: 'cables',
  title: 'Cable',
  titles: 'Cables',
  about: 'A cable from one port to another, or to something that is not ours.',
  group: 'devices',
  key: { parts: ['from'] },
  fields: {
    from: { type: 'ref', to: 'port', title: 'From', required: true, part: true, own: true, example: 'ard-acc-1:1/24' },
    to: { type: 'ref', to: 'port', title: 'To', part: true, own: true, example: 'ard-xr-1:cu2' },
    farEnd: {
      type: 'text',
      title: 'Far end',
      example: 'ferry line, socket 3',
      about: 'In words, where it is not ours',
    },
    kind: { type: 'choice', title: 'Kind', choices: cableKindNames },
    colour: { type: 'choice', title: 'Colour', choices: Object.keys(cableColours) },
    lengthCm: { type: 'int', title: 'Length', unit: 'cm', min: 1, max: 10_000_000 },
    marking: { type: 'code', title: 'Printed on it', example: 'ARD-017' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'to', 'farEnd', 'kind', 'colour', 'lengthCm', 'marking', 'labels'],
});
