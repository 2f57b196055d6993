/** Errors of swaps. */
import { row } from './errorRow.ts';

export const swapErrors = {
  'swap-open': row(
    409,
    'A swap is under way',
    (p) => `the swap #${p.id} of ${p.device} is not closed`,
    (p) => `zpine swap show ${p.device}`,
  ),
  'swap-no-box': row(
    409,
    'No box',
    (p) => `${p.device} has no box that could be swapped`,
    (p) => `zpine device fit ${p.device} SERIAL`,
  ),
  'swap-spare-taken': row(
    409,
    'The spare is meant for another',
    (p) => `box ${p.box} is meant for the swap of ${p.device}`,
    () => 'another spare, or call that swap off',
  ),
  'swap-same-box': row(409, 'The same box', (p) => `${p.box} is the box of ${p.device} already`),
  'swap-over': row(409, 'Over', (p) => `the swap #${p.id} of ${p.device} is ${p.state}`),
  'swap-not-serving': row(
    409,
    'It does not serve',
    (p) => `${p.device} does not serve with its new box`,
    () => 'wait for it, or say why it is closed as it is: --reason TEXT',
  ),
  'swap-early': row(
    409,
    'Nothing to take back',
    (p) => `no other box was fitted to ${p.device}`,
    (p) => `zpine swap call-off ${p.device}`,
  ),
  'sheet-empty': row(
    409,
    'Nothing to put on it',
    (p) => `${p.what} has no published edition`,
    () => 'zpine edition publish DEVICE',
  ),
  'swap-late': row(
    409,
    'Another box is fitted',
    (p) => `${p.box} is fitted to ${p.device} already`,
    (p) => `zpine swap take-back ${p.device}`,
  ),
} as const;
