/** What is typed for blanks, and how blanks are told. */
import type { ShownBlank } from '@zpine/contract/fleetShapes';
import { UsageError } from './refusals.ts';

/** `NAME=VALUE`, several times. */
export function blanksFrom(given: readonly string[]): Record<string, string> {
  const out: Record<string, string> = {};
  for (const text of given) {
    const at = text.indexOf('=');
    if (at < 1) throw new UsageError(`"${text}" is not a blank and what stands in it: NAME=VALUE`);
    out[text.slice(0, at)] = text.slice(at + 1);
  }
  return out;
}

export const list = (value: string, before: string[]): string[] => [...before, value];

export const blankWords = (blanks: readonly ShownBlank[]): string =>
  blanks
    .map(({ name, is, usual, least, most, of }) => {
      const range = least === undefined && most === undefined ? '' : ` ${least ?? ''}..${most ?? ''}`;
      const kind = of ? of.join('|') : `${is}${range}`;
      return `${name}: ${kind}${usual === undefined ? '' : ` (${usual})`}`;
    })
    .join(', ');
