/** Of arrival windows, where other hardware becomes a device. */
import { UsageError } from './refusals.ts';

/** As the API takes them. */
export function hoursOf(open: string | undefined): { openHours?: number } {
  if (open === undefined) return {};
  if (!(Number(open) > 0)) throw new UsageError('--open takes a number of hours');
  return { openHours: Number(open) };
}

/** Without an open window it would ask for ever. */
export const nextStep = (device: string, isOpen: boolean): string =>
  isOpen
    ? `zpine arrival watch ${device}`
    : `its arrival window is closed, so that it is given no file yet: zpine arrival open ${device}`;
