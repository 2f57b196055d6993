/** What answers the calls of this area. */
import type { VerbHandlers } from '../handler.ts';
import { imagesHeld } from './content.ts';
import { beginRun } from '../fleet/again.ts';
import { imageDevices } from './devices.ts';

export const imageHandlers = {
  'image.held': (tx, { query }) => imagesHeld(tx, query),
  'image.devices': (tx, { params }) => imageDevices(tx, params.ref ?? ''),
  'run.upgrade': (tx, { body }) => beginRun(tx, 'run.upgrade', body),
} satisfies Partial<VerbHandlers>;
