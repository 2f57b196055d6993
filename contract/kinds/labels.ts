import { kind } from '../kind.ts';

export const label = kind({
  name: 'label',
  path: 'labels',
  title: 'Label',
  titles: 'Labels',
  about: 'A label that is more than a word: it has a rank, or gives values to settings.',
  group: 'settings',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, fixed: true, max: 40, example: 'spare' },
    title: { type: 'text', title: 'Title' },
    rank: {
      type: 'int',
      title: 'Rank',
      min: 1,
      max: 1000,
      about: 'Of two labels that say different things about a setting, the one with the higher rank is heard',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'rank', 'note'],
  sort: ['rank'],
});
