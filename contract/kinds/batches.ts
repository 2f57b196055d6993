import { kind } from '../kind.ts';

/** What becomes of a stranger that is alone at the port where a device of the batch waits, and fits it. */
const strangerRules = ['asked', 'by-port'] as const;

export const batch = kind({
  name: 'batch',
  path: 'batches',
  title: 'Batch',
  titles: 'Batches',
  about: 'Devices that are to arrive in one window, with one report.',
  group: 'arrivals',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'ardle-friday' },
    strangers: {
      type: 'choice',
      title: 'Strangers',
      choices: strangerRules,
      default: 'asked',
      about: 'by-port: one that is alone at the port where a device of it waits, and fits, is that device by itself',
    },
    anywhere: {
      type: 'bool',
      title: 'Boots anywhere',
      default: false,
      about: 'On a bench, say: nobody has to confirm that a device boots where the records do not have it',
    },
    mail: {
      type: 'text',
      title: 'Report to',
      max: 400,
      about: 'Who is sent the report at its end, with commas between',
      example: 'm.lind@brackwater.example',
    },
    opensAt: { type: 'code', title: 'Opens', max: 24, byVerb: true },
    closesAt: { type: 'code', title: 'Closes', max: 24, byVerb: true },
    endedAt: { type: 'code', title: 'Ended', max: 24, byVerb: true },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'opensAt', 'closesAt', 'endedAt', 'strangers', 'labels', 'note'],
});
