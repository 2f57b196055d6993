/** What answers the calls of this area. */
import { drawing } from './drawing.ts';
import { fill } from './fill.ts';
import { refOf, type VerbHandlers } from '../handler.ts';

export const racksHandlers = {
  'rack.drawing': (tx, call) => drawing(tx, refOf(call)),
  'rack.fill': (tx, { body }) => fill(tx, body),
} satisfies Partial<VerbHandlers>;
