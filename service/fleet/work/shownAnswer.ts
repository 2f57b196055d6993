/** A command with what was said to it, as it is kept with a run. */
import type { ShownAnswer } from '@zpine/contract/fleetShapes';
import { digestOf } from '../../app/fleet/asks.ts';

export const shownAnswer = (
  command: string,
  text: string,
  { refused, cut }: { refused: string | undefined; cut: boolean },
): ShownAnswer => ({
  ask: command,
  command,
  text,
  rows: [],
  digest: digestOf(text),
  bytes: Buffer.byteLength(text),
  cut,
  refused: refused ?? null,
  missed: [],
});
