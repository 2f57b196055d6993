import { kind } from '../kind.ts';

export const template = kind({
  name: 'template',
  path: 'templates',
  title: 'Template',
  titles: 'Templates',
  about: 'A text in the template language, from which configurations are made; or a fragment that others insert.',
  group: 'templates',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'furrow-access' },
    fragment: { type: 'bool', title: 'Fragment', default: false, about: 'Inserted into others; never a device’s own' },
    dialect: { type: 'ref', to: 'dialect', title: 'For dialect' },
    model: { type: 'ref', to: 'model', title: 'For model' },
    duty: { type: 'ref', to: 'duty', title: 'For duty' },
    source: { type: 'source', title: 'Text', required: true, example: 'name @{device.name}' },
    files: {
      type: 'json',
      title: 'Files',
      nested: true,
      about: 'Where its outputs go on a host: output, path, owner, mode, and a command for when it changed',
      example: '[{"output":"motd","path":"/etc/motd","owner":"root:root","mode":"0644"}]',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'fragment', 'dialect', 'model', 'duty', 'note'],
});
