/** Of arrival windows, where other hardware becomes a device. */
import { UsageError } from './refusals.ts';

/** As the API takes them. */
export const hoursOf = (open: string | undefined): { openHours?: number } =>
  open === undefined ? {} : { openHours: hoursIn('--open', open) };

export function hoursIn(option: string, text: string): number {
  if (!(Number(text) > 0)) throw new UsageError(`${option} takes a number of hours`);
  return Number(text);
}

/** Without an open window it would ask for ever. */
export const nextStep = (device: string, isOpen: boolean): string =>
  isOpen
    ? `zpine arrival watch ${device}`
    : `its arrival window is closed, so that it is given no file yet: zpine arrival open ${device}`;
