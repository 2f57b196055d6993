import { settingTypes } from '@zpine/core/settings/layers';
import { kind } from '../kind.ts';

export const setting = kind({
  name: 'setting',
  path: 'settings',
  title: 'Setting',
  titles: 'Settings',
  about: 'An entry of the settings catalogue: a name that layers may give a value to.',
  group: 'settings',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'desk.extension' },
    about: {
      type: 'text',
      title: 'What it is for',
      required: true,
      example: 'The extension of the desk that looks after the device',
    },
    valueType: {
      type: 'choice',
      title: 'Type',
      choices: settingTypes,
      default: 'text',
    },
    unit: { type: 'text', title: 'Unit', max: 20 },
    defaultValue: { type: 'json', title: 'Default', about: 'What holds where no layer says anything' },
    secret: { type: 'bool', title: 'Secret', default: false, about: 'Its values are sealed and masked' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'about', 'valueType', 'unit', 'secret'],
});
