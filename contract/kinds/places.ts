import { kind } from '../kind.ts';

export const area = kind({
  name: 'area',
  path: 'areas',
  title: 'Area',
  titles: 'Areas',
  about: 'A tree above sites: a country, a district, a line.',
  group: 'places',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'north-line' },
    title: { type: 'text', title: 'Title', example: 'North line' },
    parent: { type: 'ref', to: 'area', title: 'Inside', about: 'The area this one belongs to' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'parent', 'note'],
});

export const site = kind({
  name: 'site',
  path: 'sites',
  title: 'Site',
  titles: 'Sites',
  about: 'A place with equipment in it.',
  group: 'places',
  key: { parts: ['code'] },
  fields: {
    code: { type: 'name', title: 'Code', required: true, example: 'ard', capitals: true },
    title: { type: 'text', title: 'Title', example: 'Ardle' },
    area: { type: 'ref', to: 'area', title: 'Area' },
    postalAddress: { type: 'note', title: 'Postal address', max: 1000 },
    timeZone: { type: 'zone', title: 'Time zone', example: 'Europe/London' },
    contacts: { type: 'note', title: 'Contacts', max: 2000 },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'area', 'timeZone', 'labels', 'note'],
  sort: ['title'],
});

export const room = kind({
  name: 'room',
  path: 'rooms',
  title: 'Room',
  titles: 'Rooms',
  about: 'A room of a site.',
  group: 'places',
  key: { parts: ['site', 'name'] },
  fields: {
    site: { type: 'ref', to: 'site', title: 'Site', required: true, inside: true },
    name: { type: 'name', title: 'Name', required: true, example: 'closet' },
    title: { type: 'text', title: 'Title', example: 'Wiring closet' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'site', 'note'],
});

export const rack = kind({
  name: 'rack',
  path: 'racks',
  title: 'Rack',
  titles: 'Racks',
  about: 'A rack in a room.',
  group: 'places',
  key: { parts: ['room', 'name'] },
  fields: {
    room: { type: 'ref', to: 'room', title: 'Room', required: true, inside: true },
    name: { type: 'name', title: 'Name', required: true, example: 'w1' },
    title: { type: 'text', title: 'Title' },
    heightU: { type: 'int', title: 'Height', unit: 'U', min: 1, max: 60, default: 42 },
    numbering: {
      type: 'choice',
      title: 'Numbered from',
      choices: ['bottom', 'top'],
      default: 'bottom',
      about: 'Where U 1 is',
    },
    widthInches: { type: 'int', title: 'Width', unit: 'in', min: 10, max: 23, default: 19 },
    purpose: { type: 'ref', to: 'purpose', title: 'Purpose' },
    owner: { type: 'ref', to: 'owner', title: 'Owner' },
    assetNumber: { type: 'code', title: 'Asset number', own: true },
    powerWatts: { type: 'int', title: 'Power to give', unit: 'W', max: 1_000_000 },
    loadGrams: { type: 'int', title: 'Weight to bear', unit: 'g', max: 10_000_000 },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'heightU', 'purpose', 'owner', 'labels', 'note'],
  sort: ['heightU'],
});

export const filler = kind({
  name: 'filler',
  path: 'fillers',
  title: 'Filler',
  titles: 'Fillers',
  about: 'Rack space without a device: a blank panel, a cable guide, or space that is reserved.',
  group: 'places',
  key: {
    parts: ['rack', 'positionU', 'face'],
    split: (key) => /^(.*)\/(\d+)\/(front|rear)$/.exec(key)?.slice(1) ?? [key],
  },
  fields: {
    rack: { type: 'ref', to: 'rack', title: 'Rack', required: true, part: true },
    positionU: {
      type: 'int',
      title: 'U',
      min: 1,
      max: 60,
      required: true,
      about: 'The lowest number it takes',
      example: '3',
    },
    face: { type: 'choice', title: 'Face', choices: ['front', 'rear'], default: 'front' },
    form: { type: 'choice', title: 'Form', choices: ['blank', 'cable-guide', 'reserved'], default: 'blank' },
    heightU: { type: 'int', title: 'Height', unit: 'U', min: 1, max: 60, default: 1 },
    depth: { type: 'choice', title: 'Depth', choices: ['full', 'half'], default: 'half' },
    description: { type: 'text', title: 'What it is, or is kept for', example: 'camera recorder, spring' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'form', 'heightU', 'depth', 'description', 'labels'],
});
