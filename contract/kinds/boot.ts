import { transports } from '@zpine/core/dhcp/profiles';
import { kind } from '../kind.ts';

export const bootprofile = kind({
  name: 'bootprofile',
  path: 'bootprofiles',
  title: 'Boot profile',
  titles: 'Boot profiles',
  about:
    'How a kind of device boots: which clients it is for, what they fetch first and how, what they are told unasked.',
  group: 'addressing',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'furrow-loader' },
    dialect: { type: 'ref', to: 'dialect', title: 'For dialect' },
    model: { type: 'ref', to: 'model', title: 'For model' },
    duty: { type: 'ref', to: 'duty', title: 'For duty' },
    classes: {
      type: 'code',
      title: 'For classes',
      max: 400,
      about:
        'How the class of its clients begins, with commas between several: vendor class (60), user class (77), or 4711:loader for class "loader" of enterprise 4711 (124)',
      example: 'larkfield LF-24',
    },
    transport: {
      type: 'choice',
      title: 'Transport',
      choices: transports,
      default: 'tftp',
      about: 'tftp: the name of a file; http: a URL that is good for the arrival window',
    },
    file: {
      type: 'code',
      title: 'First file',
      required: true,
      max: 100,
      about: 'Its name. {device}, {serial}, {mac} and {model} stand for what the device has',
      example: '{device}.furrow',
    },
    names: {
      type: 'code',
      title: 'More names',
      max: 400,
      about: 'Under which the same file is given, with commas between them',
      example: '{mac}.cfg, network.cfg',
    },
    legs: {
      type: 'json',
      title: 'Earlier legs',
      nested: true,
      about:
        'What is fetched in boots before the last one, in their order, with a restart behind each: file, the template that it is made of and, where clients announce themselves so, their class',
      example: '[{"file":"{device}.stage","template":"quill-stage"}]',
    },
    restartMinutes: {
      type: 'int',
      title: 'Restart',
      unit: 'min',
      min: 1,
      max: 120,
      default: 5,
      about: 'How long a device may take from one leg to the next',
    },
    unasked: {
      type: 'text',
      title: 'Told unasked',
      max: 200,
      about: 'Options that its clients are told though they do not ask, by number or name, with commas between them',
      example: '66, 67, 150',
    },
    strangerFile: {
      type: 'code',
      title: 'First file of strangers',
      max: 100,
      about: 'What clients of its classes fetch that are nobody’s. {mac} and {serial} stand for what they say',
      example: 'first-{mac}',
    },
    strangerText: {
      type: 'ref',
      to: 'template',
      title: 'Text of that',
      about: 'A fragment with an account of its own in it: @{lease.user}, @{lease.password}, @{lease.address}',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'dialect', 'model', 'duty', 'classes', 'transport', 'file', 'labels', 'note'],
});
