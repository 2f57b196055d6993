/** What checks see beside the names of all templates: what a device runs, has stored, and answers. */
import type { Catalogue } from '@zpine/core/template/check';
import { any, bool, listOf, mapOf, mapOfAll, number, text, type Shape } from '@zpine/core/template/shapes';

const configuration = {
  text: text('As the device shows it, secrets masked'),
  lines: listOf(text(), 'All its lines, each with the blocks that it stands in: socket 1/3 / lane 312'),
  at: text('When it was read'),
  doors: listOf(text(), 'Lines that open another way in than SSH; null where its sheet does not tell'),
  carries: listOf(
    mapOf({ port: text(), vlans: listOf(number()) }),
    'Which VLANs its ports carry; null where its sheet does not tell',
  ),
};

export const checkNames: Record<string, Shape> = {
  running: mapOf(configuration, 'What the device runs'),
  stored: mapOf(
    {
      ...configuration,
      lacks: listOf(text(), 'Lines that run and are not stored'),
      alone: listOf(text(), 'Lines that are stored and do not run'),
    },
    'What it has stored',
  ),
  answers: mapOfAll(
    listOf(mapOfAll(any)),
    'What it answers: rows of fields, by the question. Interfaces have their name in the records, and whether they are live',
  ),
  factory: mapOf(
    { user: text(), letsIn: bool('Whether it lets in whoever has it') },
    'The factory login of its model, tried',
  ),
  carried: listOf(
    mapOf({
      interface: text(),
      device: text('At the other end'),
      port: text('Its port'),
      here: listOf(number(), 'The VLANs that this end carries'),
      there: listOf(number(), 'And the other one; null where that is not known'),
    }),
    'Its cables to devices of ours, with what both ends carry by their configurations',
  ),
};

export const checkCatalogue = (catalogue: Catalogue): Catalogue => ({
  ...catalogue,
  names: { ...catalogue.names, ...checkNames },
});
