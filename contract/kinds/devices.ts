import { kind } from '../kind.ts';

/** Every stage with its glyph, as LOOKS has it: shown by shape, colour and word together. */
export const stages = {
  sketched: '○',
  prepared: '◐',
  arriving: '▷',
  proving: '◎',
  serving: '●',
  unproved: '◌',
  faulty: '✕',
  retired: '–',
} as const;
export type Stage = keyof typeof stages;

const cutAt = (text: string, sign: string): string[] => {
  const at = text.indexOf(sign);
  return at < 0 ? [text] : [text.slice(0, at), text.slice(at + 1)];
};

export const device = kind({
  name: 'device',
  path: 'devices',
  title: 'Device',
  titles: 'Devices',
  about: 'An identity in the network: a name, a duty, a place, interfaces and addresses.',
  group: 'devices',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'ard-acc-1' },
    duty: { type: 'ref', to: 'duty', title: 'Duty' },
    model: { type: 'ref', to: 'model', title: 'Model' },
    dialect: { type: 'ref', to: 'dialect', title: 'Dialect', about: 'Left empty, it is that of the model' },
    site: { type: 'ref', to: 'site', title: 'Site', about: 'Left empty, it is that of the rack' },
    rack: { type: 'ref', to: 'rack', title: 'Rack' },
    positionU: {
      type: 'int',
      title: 'U',
      min: 1,
      max: 60,
      own: true,
      about: 'The lowest of the numbers that it takes, as they are printed on the rack',
    },
    face: { type: 'choice', title: 'Face', choices: ['front', 'rear'], default: 'front' },
    side: {
      type: 'choice',
      title: 'Side',
      choices: ['left', 'right'],
      default: 'left',
      about: 'Of a device of half width, as seen from the front',
    },
    stage: {
      type: 'choice',
      title: 'Stage',
      choices: Object.keys(stages) as Stage[],
      default: 'sketched',
      byVerb: true,
    },
    owner: { type: 'ref', to: 'owner', title: 'Owner' },
    management: {
      type: 'ref',
      to: 'interface',
      title: 'Management interface',
      about: 'The interface by which the service reaches it',
    },
    template: {
      type: 'ref',
      to: 'template',
      title: 'Template',
      about: 'Left empty, it is the one that matches dialect, model and duty best',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'stage', 'duty', 'model', 'site', 'rack', 'positionU', 'labels'],
  sort: ['stage'],
});

export const interfaceKind = kind({
  name: 'interface',
  path: 'interfaces',
  title: 'Interface',
  titles: 'Interfaces',
  about: 'The thing on a device that is configured: a port, a VLAN interface, a loopback.',
  group: 'devices',
  key: { parts: ['device', 'name'], make: (parts) => parts.join(':'), split: (key) => cutAt(key, ':') },
  fields: {
    device: { title: 'Device', required: true, part: true, fixed: true, type: 'ref', to: 'device' },
    name: { type: 'portName', title: 'Name', required: true, example: '1/3' },
    form: {
      type: 'choice',
      title: 'Form',
      choices: ['port', 'aggregate', 'vlan', 'sub-interface', 'loopback', 'routed'],
      default: 'port',
    },
    description: { type: 'text', title: 'Description' },
    enabled: { type: 'bool', title: 'Enabled', default: true },
    vlan: { type: 'ref', to: 'vlan', title: 'VLAN', about: 'Untagged on a port; its own on a VLAN interface' },
    vrf: { type: 'ref', to: 'vrf', title: 'VRF', default: 'default' },
    mac: { type: 'mac', title: 'MAC', unique: true },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'form', 'description', 'enabled', 'vlan', 'vrf', 'mac'],
});
