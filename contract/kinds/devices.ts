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
    site: { type: 'ref', to: 'site', title: 'Site', inside: true, about: 'Left empty, it is that of the rack' },
    rack: { type: 'ref', to: 'rack', title: 'Rack', inside: true },
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
    virtual: { type: 'bool', title: 'Virtual', default: false, about: 'It has neither a box nor a rack' },
    provisioned: {
      type: 'bool',
      title: 'Provisioned by us',
      default: true,
      about: 'Otherwise it is only recorded: it gets no edition and never boots from here',
    },
    owner: { type: 'ref', to: 'owner', title: 'Owner' },
    management: {
      type: 'ref',
      to: 'interface',
      title: 'Management interface',
      about: 'The interface by which the service reaches it',
    },
    main: {
      type: 'ref',
      to: 'interface',
      title: 'Main interface',
      about: 'Whose address stands for the device; left empty, that for management',
    },
    template: {
      type: 'ref',
      to: 'template',
      title: 'Template',
      about: 'Left empty, it is the one that matches dialect, model and duty best',
    },
    batch: { type: 'ref', to: 'batch', title: 'Batch', about: 'In whose window it is to arrive' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'stage', 'duty', 'model', 'site', 'rack', 'positionU', 'labels'],
  sort: ['stage'],
});
