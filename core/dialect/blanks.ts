/** Blanks of questions and operations: what may stand in them, and how it gets into a command without more to it. */
import { z } from 'zod';
import { formatIp, parseIp } from '../addressing/ip.ts';
import type { Fault } from '../fault.ts';
import { nearest } from '../naming/names.ts';

const blankKinds = ['port', 'address', 'number', 'word', 'text', 'moment'] as const;

export const blankSchema = z.strictObject({
  is: z.enum(blankKinds).describe('What stands in it; a moment is now, or a time in UTC'),
  about: z.string().max(200).optional(),
  least: z.int().optional().describe('Of a number'),
  most: z.int().optional(),
  of: z.array(z.string().min(1).max(60)).max(50).optional().describe('Of a word: one of these'),
  usual: z.string().max(200).optional().describe('What stands in it when nobody says anything'),
});
type Blank = z.output<typeof blankSchema>;
export type Blanks = Readonly<Record<string, Blank>>;

export type BlankFault = Fault<'blank-missing' | 'blank-unknown' | 'blank-unfit'> & { blank: string };

/** Signs that stand for themselves in a shell. */
const SAFE = /^[A-Za-z0-9._:/@%+,=-]+$/;
const MOMENT = /^(\d{4}-\d\d-\d\d)[T ](\d\d:\d\d(?::\d\d)?)Z?$/;

/** Why a value does not fit, or undefined. */
function unfit({ is, least, most, of }: Blank, value: string): string | undefined {
  switch (is) {
    case 'port':
      return /^[A-Za-z0-9][A-Za-z0-9 ._/:-]{0,59}$/.test(value) ? undefined : 'that is no name of a port';
    case 'address':
      return parseIp(value).ok ? undefined : 'that is no address';
    case 'number': {
      if (!/^-?\d{1,9}$/.test(value)) return 'that is no number';
      const n = Number(value);
      if (least !== undefined && n < least) return `the least is ${least}`;
      return most !== undefined && n > most ? `the most is ${most}` : undefined;
    }
    case 'word':
      if (of) return of.includes(value) ? undefined : `it is one of ${of.join(', ')}`;
      return value.length <= 100 && SAFE.test(value) ? undefined : 'a word has letters, digits and . _ : / @ % + , = -';
    case 'text':
      return /[\u0000-\u001f\u007f]/.test(value) || value.length > 200
        ? 'it is one line of 200 signs at most'
        : undefined;
    case 'moment': {
      const [, day = '', time = ''] = MOMENT.exec(value) ?? [];
      const fits = value === 'now' || !Number.isNaN(Date.parse(`${day}T${time}Z`));
      return fits ? undefined : 'it is now, or a time in UTC such as 2026-11-27 10:02:00';
    }
  }
}

/** Faults of what was given for blanks, all of them. A blank with a usual value may be left out. */
export function blankFaults(blanks: Blanks, given: Readonly<Record<string, string>>): BlankFault[] {
  const faults: BlankFault[] = [];
  for (const name of Object.keys(given))
    if (!Object.hasOwn(blanks, name)) {
      const meant = nearest(name, Object.keys(blanks));
      const known = Object.keys(blanks).join(', ') || 'none';
      faults.push({ code: 'blank-unknown', params: { blank: name, known, ...(meant ? { meant } : {}) }, blank: name });
    }
  for (const [name, blank] of Object.entries(blanks)) {
    const value = given[name] ?? blank.usual;
    if (value === undefined || value.trim() === '') {
      faults.push({
        code: 'blank-missing',
        params: { blank: name, kind: blank.is, about: blank.about ?? '' },
        blank: name,
      });
      continue;
    }
    const why = unfit(blank, value.trim());
    if (why !== undefined)
      faults.push({ code: 'blank-unfit', params: { blank: name, value: value.trim(), why }, blank: name });
  }
  return faults;
}

interface Filling {
  /** The name of a port as the device calls it. */
  portName: (given: string) => string;
  now: Date;
}

const momentText = (at: Date): string => at.toISOString().slice(0, 19).replace('T', ' ');

/** Values as they stand in commands; what was given has no faults. */
export function blankValues(
  blanks: Blanks,
  given: Readonly<Record<string, string>>,
  how: Filling,
): Record<string, string> {
  const values = Object.entries(blanks).map(([name, { is, usual = '' }]): [string, string] => {
    const value = (given[name] ?? usual).trim();
    if (is === 'port') return [name, how.portName(value)];
    if (is === 'address') {
      const ip = parseIp(value);
      return [name, ip.ok ? formatIp(ip.value) : value];
    }
    if (is === 'number') return [name, String(Number(value))];
    if (is !== 'moment') return [name, value];
    const [, day = '', time = ''] = MOMENT.exec(value) ?? [];
    return [name, momentText(value === 'now' ? how.now : new Date(`${day}T${time}Z`))];
  });
  return Object.fromEntries(values);
}

const HOLE = /\{([a-z][a-z0-9-]*)\}/g;

/** The blanks that a text has holes for. */
export const holesIn = (text: string): string[] => [...text.matchAll(HOLE)].map((match) => match[1] ?? '');

/** A command with its blanks filled in; of a shell, each value is one word. */
export const filledIn = (text: string, values: Readonly<Record<string, string>>, ofShell: boolean): string =>
  text.replace(HOLE, (hole, name: string) => {
    const value = values[name];
    if (value === undefined) return hole;
    return ofShell && !SAFE.test(value) ? `'${value.replaceAll("'", "'\\''")}'` : value;
  });

/** A pattern with its blanks filled in: values stand for themselves there. */
export const filledPattern = (source: string, values: Readonly<Record<string, string>>): string =>
  source.replace(HOLE, (hole, name: string) => {
    const value = values[name];
    return value === undefined ? hole : value.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
  });

/** Values that fit, for whoever tries what a sheet says. */
export const sampleValues = (blanks: Blanks): Record<string, string> =>
  Object.fromEntries(
    Object.entries(blanks).map(([name, { is, least, of, usual }]) => {
      const samples = {
        port: '1',
        address: '192.0.2.1',
        number: String(least ?? 1),
        word: of?.[0] ?? 'word',
        text: 'text',
        moment: '2026-01-01 00:00:00',
      };
      return [name, usual !== undefined && usual !== 'now' ? usual : samples[is]];
    }),
  );
