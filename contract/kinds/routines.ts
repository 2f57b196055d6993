import { kind } from '../kind.ts';

/** What is done with its text: lines that change a device, or what it is asked. */
const deeds = ['errand', 'ask'] as const;

export const routine = kind({
  name: 'routine',
  path: 'routines',
  title: 'Routine',
  titles: 'Routines',
  about: 'An errand or an ask with a name, with blanks; run by hand, or every day at an hour.',
  group: 'fleet',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'furrow-desk-port' },
    title: { type: 'text', title: 'What it does', required: true, example: 'Puts a port into a VLAN' },
    does: { type: 'choice', title: 'Does', choices: deeds, default: 'errand' },
    devices: {
      type: 'text',
      title: 'For devices',
      max: 1000,
      about: 'A selection; it is run for no others. Left empty: for whichever are named',
      example: 'stage=serving',
    },
    blanks: {
      type: 'note',
      title: 'Blanks',
      max: 4000,
      about: 'YAML: a name, and what goes there: port, address, number, word, text or moment',
      example: 'port: { is: port }\nvlan: { is: number, least: 1, most: 4094 }',
    },
    source: {
      type: 'source',
      title: 'Text',
      required: true,
      max: 32_768,
      about:
        'Lines as in an errand; of an ask a command a line, or "question NAME BLANK=VALUE". Blanks are @{blank.NAME}',
      example: 'journal to 10.77.0.7',
    },
    questions: { type: 'text', title: 'Before and after', max: 400, about: 'Named questions, with commas between' },
    expect: {
      type: 'note',
      title: 'Afterwards',
      max: 2000,
      about: 'What their answers have to say then, a line each: a word, or FIELD=VALUE',
    },
    hour: { type: 'int', title: 'Hour', min: 0, max: 23, about: 'Every day at this hour; left empty: only by hand' },
    most: {
      type: 'int',
      title: 'At most',
      min: 0,
      max: 10_000,
      default: 10,
      about: 'Of an errand at an hour: where more devices would be changed, it waits for somebody',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'does', 'devices', 'hour', 'labels', 'note'],
});
