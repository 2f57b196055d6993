import { kind } from '../kind.ts';

export const vendor = kind({
  name: 'vendor',
  path: 'vendors',
  title: 'Vendor',
  titles: 'Vendors',
  about: 'A maker of hardware.',
  group: 'hardware',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'larkfield' },
    title: { type: 'text', title: 'Title', example: 'Larkfield' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'note'],
});

export const model = kind({
  name: 'model',
  path: 'models',
  title: 'Model',
  titles: 'Models',
  about: 'A hardware model of a vendor.',
  group: 'hardware',
  key: { parts: ['vendor', 'name'] },
  fields: {
    vendor: { type: 'ref', to: 'vendor', title: 'Vendor', required: true },
    name: { type: 'name', title: 'Name', required: true, example: 'lf-24' },
    title: { type: 'text', title: 'Title', example: 'LF-24' },
    dialect: {
      type: 'ref',
      to: 'dialect',
      title: 'Dialect',
      about: 'What its devices speak unless they say otherwise',
    },
    heightU: { type: 'int', title: 'Height', unit: 'U', min: 0, max: 60, default: 1, about: '0 for what takes no U' },
    depth: { type: 'choice', title: 'Depth', choices: ['full', 'half'], default: 'full' },
    width: { type: 'choice', title: 'Width', choices: ['full', 'half'], default: 'full' },
    powerWatts: { type: 'int', title: 'Power draw', unit: 'W', max: 100000 },
    weightGrams: { type: 'int', title: 'Weight', unit: 'g', max: 2_000_000 },
    ports: {
      type: 'ports',
      title: 'Ports',
      example: '1/{1..24} 1000base-t; 1/{25..28} 10gbase-r; con console',
      about: 'Names and kind, group by group; {slot} in a name stands for the slot of a card',
    },
    slots: {
      type: 'slots',
      title: 'Slots',
      example: '{1..4} c4-card',
      about: 'Names, and the form of cards that go in',
    },
    fits: {
      type: 'name',
      title: 'Fits slots of',
      example: 'c4-card',
      about: 'Of a card: the form of slot it goes into',
    },
    management: {
      type: 'text',
      title: 'Management interface',
      max: 63,
      example: 'vlan{vlan}',
      about: 'The interface by which its devices are managed; {vlan} is the number of the VLAN',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'dialect', 'heightU', 'depth', 'powerWatts', 'ports', 'slots', 'fits'],
});

/** With its marks: twelve digits alone may well be a serial. */
const isMac = (typed: string): boolean =>
  /^[0-9a-f]{2}([:-][0-9a-f]{2}){5}$|^[0-9a-f]{4}([.:-][0-9a-f]{4}){2}$/i.test(typed);
const withoutMarks = (mac: string): string => mac.replace(/[^0-9A-Fa-f]/g, '').toLowerCase();

export const box = kind({
  name: 'box',
  path: 'boxes',
  title: 'Box',
  titles: 'Boxes',
  about: 'A piece of hardware, in stock or fitted as a device.',
  group: 'hardware',
  key: {
    parts: ['serial'],
    canonical: (typed) => (isMac(typed) ? withoutMarks(typed) : typed),
    otherwise: { field: 'mac', spelling: withoutMarks, is: isMac },
  },
  fields: {
    serial: {
      type: 'code',
      title: 'Serial',
      example: 'LF24-0188-01',
      about: 'None where only its MAC is known',
    },
    model: { type: 'ref', to: 'model', title: 'Model', required: true },
    mac: { type: 'mac', title: 'Base MAC', unique: true, example: '00:00:5e:00:53:a1', about: 'Any notation is taken' },
    condition: {
      type: 'choice',
      title: 'Condition',
      choices: ['stock', 'fitted', 'faulty', 'retired'],
      default: 'stock',
    },
    device: {
      title: 'Fitted as',
      type: 'ref',
      to: 'device',
      unique: true,
      letsGo: true,
      about: 'The device whose hardware it is',
    },
    whereabouts: { type: 'text', title: 'Where it lies', example: 'cupboard at HAR' },
    owner: { type: 'ref', to: 'owner', title: 'Owner' },
    assetNumber: { type: 'code', title: 'Asset number', unique: true },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'model', 'mac', 'condition', 'device', 'whereabouts', 'labels'],
  sort: ['condition'],
});
