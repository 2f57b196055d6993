/** What a kind's records look like to a program: given, edited, and in replies. */
import { z } from 'zod';
import type { Field } from './fields.ts';
import { schemaOf } from './fieldSchemas.ts';
import { fieldsOf, type KindDescription } from './kind.ts';

const given = ([, field]: [string, Field]) => !field.derived && !field.byVerb;

/** What a client may send to add a record. */
export function addSchema(k: KindDescription): z.ZodObject {
  return z.strictObject(
    Object.fromEntries(
      fieldsOf(k)
        .filter(given)
        .map(([name, field]) => {
          const schema = schemaOf(field);
          return [name, describe(field, field.required && field.default === undefined ? schema : schema.nullish())];
        }),
    ),
  );
}

/** What a client may send to edit a record: what is left out stays, null clears. */
export function editSchema(k: KindDescription): z.ZodObject {
  return z.strictObject(
    Object.fromEntries(
      fieldsOf(k)
        .filter(given)
        .map(([name, field]) => {
          const schema = schemaOf(field);
          const clearable = !field.required && field.default === undefined;
          return [name, describe(field, clearable ? schema.nullish() : schema.optional())];
        }),
    ),
  );
}

/** The shape of a record in replies; for the API's description, not for checking. */
export function recordSchema(k: KindDescription): z.ZodObject {
  const json: Partial<Record<Field['type'], z.ZodType>> = {
    int: z.int(),
    bool: z.boolean(),
    json: z.json(),
    labels: z.array(z.string()),
    numbers: z.array(z.int()),
    ports: z.array(z.object({ names: z.string(), kind: z.string() })),
    slots: z.array(z.object({ names: z.string(), takes: z.string() })),
  };
  return z.object({
    id: z.int(),
    key: z.string(),
    version: z.int(),
    createdAt: z.iso.datetime(),
    updatedAt: z.iso.datetime(),
    ...Object.fromEntries(
      fieldsOf(k).map(([name, field]) => {
        const schema = json[field.type] ?? z.string();
        return [name, describe(field, field.required || field.default !== undefined ? schema : schema.nullable())];
      }),
    ),
  });
}

function describe(field: Field, schema: z.ZodType): z.ZodType {
  const words = [
    field.title,
    field.about,
    field.unit && `Unit: ${field.unit}.`,
    field.to && `A ${field.to}, by key or #id.`,
  ];
  return schema.describe(words.filter(Boolean).join('. ').replace(/\.\. /g, '. '));
}
