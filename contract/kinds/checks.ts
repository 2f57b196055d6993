import { kind } from '../kind.ts';

/** What is done about it: nothing by itself, the edition pushed, a value set, lines sent. */
const remedies = ['none', 'push', 'setting', 'errand'] as const;

export const check = kind({
  name: 'check',
  path: 'checks',
  title: 'Check',
  titles: 'Checks',
  about: 'Something that has to hold on devices: a template of which every line is a finding.',
  group: 'fleet',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'time-servers' },
    title: { type: 'text', title: 'What has to hold', required: true, example: 'Follows the time servers of its site' },
    devices: {
      type: 'text',
      title: 'For devices',
      max: 1000,
      about: 'A selection; left empty: all devices',
      example: 'stage=serving',
    },
    severity: {
      type: 'choice',
      title: 'Severity',
      choices: ['failure', 'attention', 'remark'],
      default: 'attention',
      about: 'Remarks do not stand on Today',
    },
    source: {
      type: 'source',
      title: 'Text',
      required: true,
      max: 32_768,
      about: 'Every line that comes out is a finding; none, and it holds',
      example: '@for server of set.time.servers where not says(running.lines, server)\ndoes not follow @{server}\n@end',
    },
    remedy: { type: 'choice', title: 'Remedy', choices: remedies, default: 'none' },
    remedyWith: {
      type: 'note',
      title: 'Remedy with',
      max: 4000,
      about: 'Of a setting its name, of an errand its lines',
    },
    hour: { type: 'int', title: 'Hour', min: 0, max: 23, about: 'Every day at this hour; left empty: only by hand' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'devices', 'severity', 'hour', 'labels', 'note'],
});

export const exception = kind({
  name: 'exception',
  path: 'exceptions',
  title: 'Exception',
  titles: 'Exceptions',
  about: 'A device on which a check need not hold, until a day, and why.',
  group: 'fleet',
  key: { parts: ['check', 'device'] },
  fields: {
    check: {
      type: 'ref',
      to: 'check',
      title: 'Check',
      required: true,
      fixed: true,
      part: true,
      example: 'time-servers',
    },
    device: {
      type: 'ref',
      to: 'device',
      title: 'Device',
      required: true,
      fixed: true,
      part: true,
      own: true,
      example: 'ard-acc-1',
    },
    until: { type: 'day', title: 'Until', required: true, about: 'The last day of it', example: '2027-03-01' },
    why: { type: 'text', title: 'Why', required: true, example: 'Its clock is set by hand until the fibre is mended' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'until', 'why', 'labels', 'note'],
  sort: ['until'],
});
