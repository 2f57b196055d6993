/** How the texts of fields are read and checked. */
import type { Parsed } from '@zpine/core/fault';
import { z } from 'zod';

/** A Zod schema for text read by one of the core's parsers; its fault travels as the issue's params. */
export function parsedText<T>(parse: (text: string) => Parsed<T>, format: (value: T) => string) {
  return z
    .string()
    .max(20000)
    .transform((text, context) => {
      const read = parse(text);
      if (read.ok) return format(read.value);
      context.issues.push({ code: 'custom', input: text, message: read.fault.code, params: read.fault });
      return z.NEVER;
    });
}

/** The same for what may come as text or as a list. */
export function parsedList<G extends z.ZodType, T>(
  list: G,
  parse: (given: string | z.output<G>) => Parsed<T[]>,
): z.ZodType<T[] | null> {
  return z.union([z.string().max(20000), list]).transform((given, context) => {
    const read = parse(given);
    if (read.ok) return read.value.length > 0 ? read.value : null;
    context.issues.push({ code: 'custom', input: given, message: read.fault.code, params: read.fault });
    return z.NEVER;
  });
}

/** Whether a text has control characters in it; a note may have line ends and tabs. */
export function hasControl(text: string, linesAllowed: boolean): boolean {
  for (const sign of text) {
    const code = sign.codePointAt(0) ?? 0;
    if (linesAllowed && (code === 10 || code === 9)) continue;
    if (code < 32 || code === 127) return true;
  }
  return false;
}

export const zoneKnown = (zone: string): boolean => {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return /^[A-Za-z]/.test(zone);
  } catch {
    return false;
  }
};
