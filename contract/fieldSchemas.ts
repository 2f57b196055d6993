/** How a value that a person or program gives becomes the canonical value of its field, type by type. */
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { parseMac } from '@zpine/core/addressing/mac';
import { formatPrefix, parsePrefix } from '@zpine/core/addressing/prefix';
import { formatRanges, parseRanges } from '@zpine/core/addressing/ranges';
import { parseNumbers } from '@zpine/core/lists/numbers';
import { parseLabels } from '@zpine/core/naming/labels';
import { parseKeyPart, parsePortName } from '@zpine/core/naming/names';
import { parsePorts, parseSlots } from '@zpine/core/rack/portGroups';
import { parseDay } from '@zpine/core/text/day';
import { z } from 'zod';
import type { Field, FieldTypeName } from './fields.ts';
import { hasControl, parsedList, parsedText, zoneKnown } from './fieldTexts.ts';

const groupTextSchema = z.string().trim().min(1).max(200);

const line = (max: number) => (field: Field) =>
  z
    .string()
    .trim()
    .min(1)
    .max(field.max ?? max)
    .refine((text) => !hasControl(text, false), { params: { code: 'text-control', params: {} } });

const schemas: Record<FieldTypeName, (field: Field) => z.ZodType> = {
  name: () => parsedText(parseKeyPart, (v) => v).pipe(z.string().max(63)),
  portName: () => parsedText(parsePortName, (v) => v).pipe(z.string().max(63)),
  text: line(200),
  code: line(100),
  note: (field) =>
    z
      .string()
      .transform((text) => text.replace(/\r\n?/g, '\n').trim())
      .pipe(
        z
          .string()
          .min(1)
          .max(field.max ?? 10000)
          .refine((text) => !hasControl(text, true), { params: { code: 'text-control', params: {} } }),
      ),
  source: (field) =>
    z
      .string()
      .max(field.max ?? 262_144)
      .transform((text) => text.replace(/\r\n/g, '\n'))
      .refine((text) => !hasControl(text, true), { params: { code: 'text-control', params: {} } }),
  int: (field) =>
    z
      .int()
      .min(field.min ?? 0)
      .max(field.max ?? 2147483647),
  bool: () => z.boolean(),
  choice: (field) => z.enum((field.choices ?? []) as [string, ...string[]]),
  ref: () => z.string().trim().min(1).max(255),
  mac: () => parsedText(parseMac, (v) => v),
  ip: () => parsedText(parseIp, formatIp),
  cidr: () => parsedText(parsePrefix, formatPrefix),
  ranges: () => parsedText(parseRanges, formatRanges).transform((text) => (text === '' ? null : text)),
  colour: () =>
    z
      .string()
      .trim()
      .toLowerCase()
      .regex(/^#[0-9a-f]{6}$/),
  zone: () =>
    z
      .string()
      .trim()
      .max(60)
      .refine(zoneKnown, { params: { code: 'zone-unknown', params: {} } }),
  day: () => parsedText(parseDay, (day) => day),
  labels: () =>
    z.union([z.string().max(2000), z.array(z.string().max(100)).max(100)]).transform((given, context) => {
      const read = parseLabels(given);
      if (read.ok) return read.value.length > 0 ? read.value : null;
      context.issues.push({ code: 'custom', input: given, message: read.fault.code, params: read.fault });
      return z.NEVER;
    }),
  numbers: (field) =>
    parsedList(z.array(z.int()).max(5000), (given) =>
      parseNumbers(given, { min: field.min ?? 0, max: field.max ?? 65535 }),
    ),
  ports: () =>
    parsedList(z.array(z.strictObject({ names: groupTextSchema, kind: groupTextSchema })).max(100), (given) =>
      parsePorts(given),
    ),
  slots: () =>
    parsedList(z.array(z.strictObject({ names: groupTextSchema, takes: groupTextSchema })).max(100), (given) =>
      parseSlots(given),
    ),
  json: () => z.json(),
};

export const schemaOf = (field: Field): z.ZodType => schemas[field.type](field);
