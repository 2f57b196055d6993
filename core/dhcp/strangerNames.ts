/** The names in the first file of a stranger. */
import type { Catalogue } from '../template/check.ts';
import { mapOf, secretShape, text } from '../template/shapes.ts';

/** What such a text sees: nothing of any device. */
export const strangerNames: Catalogue = {
  names: {
    lease: mapOf(
      {
        address: text('The address of this lease'),
        mask: text(),
        length: text('The length of the prefix'),
        gateway: text('null where the prefix names none'),
        user: text('The name of an account made for this lease'),
        password: secretShape('Its password, which nobody else has'),
      },
      'What it was given',
    ),
    client: mapOf({ mac: text(), serial: text('null where it did not say'), class: text() }, 'What it said of itself'),
    boot: mapOf({ server: text() }, 'Who gave it'),
  },
  secrets: [],
};
