import { tells, wireTypes } from '@zpine/core/dhcp/ownOptions';
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
    dhcpOption: {
      type: 'code',
      title: 'DHCP option',
      max: 40,
      about:
        'Which option of DHCP tells it: the number of one of your own (224-254), the name or number of a registered one, 43.NUMBER for a part of the vendor’s, 125.ENTERPRISE.NUMBER',
      example: '231',
    },
    wire: {
      type: 'choice',
      title: 'Written as',
      choices: wireTypes,
      about: 'How it stands in the packet; left out, as is usual for its type',
    },
    tell: {
      type: 'choice',
      title: 'Told',
      choices: tells,
      default: 'asked',
      about: 'When clients ask for the option, unasked as well, or not at all',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'about', 'valueType', 'unit', 'secret', 'dhcpOption'],
});
