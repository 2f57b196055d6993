/** The short lists that other kinds choose from. */
import { kind } from '../kind.ts';

const common = {
  title: { type: 'text', title: 'Title' },
  note: { type: 'note', title: 'Note' },
} as const;

export const duty = kind({
  name: 'duty',
  path: 'duties',
  title: 'Duty',
  titles: 'Duties',
  about: 'What a device is for.',
  group: 'devices',
  key: { parts: ['name'] },
  fields: { name: { type: 'name', title: 'Name', required: true, example: 'access' }, ...common },
  list: ['key', 'title', 'note'],
});

export const dialect = kind({
  name: 'dialect',
  path: 'dialects',
  title: 'Dialect',
  titles: 'Dialects',
  about: 'The language of a network operating system: how its configuration is written, and how to talk to it.',
  group: 'hardware',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'furrow' },
    title: common.title,
    sheet: {
      type: 'source',
      title: 'Sheet',
      about:
        'What the service has to know to talk to its devices, as YAML. Left empty: the one that ships under this name',
    },
    note: common.note,
  },
  list: ['key', 'title', 'note'],
});

export const owner = kind({
  name: 'owner',
  path: 'owners',
  title: 'Owner',
  titles: 'Owners',
  about: 'The party something belongs to.',
  group: 'places',
  key: { parts: ['name'] },
  fields: { name: { type: 'name', title: 'Name', required: true, example: 'ferry-operations' }, ...common },
  list: ['key', 'title', 'note'],
});

export const purpose = kind({
  name: 'purpose',
  path: 'purposes',
  title: 'Purpose',
  titles: 'Purposes',
  about: 'What a rack is for.',
  group: 'places',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'ticket-hall' },
    colour: { type: 'colour', title: 'Colour', required: true, default: '#a39b8b', example: '#2b6486' },
    ...common,
  },
  list: ['key', 'title', 'colour', 'note'],
});

export const use = kind({
  name: 'use',
  path: 'uses',
  title: 'Use',
  titles: 'Uses',
  about: 'What a VLAN or a prefix is used for.',
  group: 'addressing',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'management' },
    management: {
      type: 'bool',
      title: 'For management',
      default: false,
      about: 'Devices get their management address from the VLAN of their site with this use',
    },
    ...common,
  },
  list: ['key', 'title', 'management', 'note'],
});
