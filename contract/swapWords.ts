/** Words of swaps that the command line and the console share. */
import type { ShownSwap } from './swapRoutes.ts';

/** Where nothing is known of before, why. */
export const unaskedWords = ({ state, before }: Pick<ShownSwap, 'state' | 'before'>): string =>
  state !== 'begun'
    ? 'the old box was not asked what hung on its ports before it went'
    : before.fault === null
      ? 'it is being asked what hangs on its ports'
      : `it could not be asked what hangs on its ports: ${before.fault}`;
