/** The verbs that every kind has, as routes. */
import { z } from 'zod';
import { bulkRoutesOf } from './bulkRoutes.ts';
import { fieldsOf, type KindDescription } from './kind.ts';
import { addSchema, editSchema, recordSchema } from './kindSchemas.ts';
import { typeOf } from './fields.ts';
import { kindOf, type KindName } from './kinds.ts';
import { page, type Route } from './route.ts';

export type KindVerb = 'list' | 'show' | 'add' | 'edit' | 'remove' | 'editMany' | 'removeMany' | 'clone' | 'removal';

/** As many records are added by one call. */
export const MOST_ADDED = 1000;

const text = (max: number) => z.string().trim().min(1).max(max);

export const listQuery = (k: KindDescription): z.ZodObject =>
  z.strictObject({
    where: text(2000).optional().describe('A selection: site=ard duty=access stage!=retired'),
    q: text(100).optional().describe('Only records whose key begins with this'),
    sort: z
      .enum(['key', 'updatedAt', ...(k.sort ?? [])].flatMap((s) => [s, `-${s}`]) as [string, ...string[]])
      .optional(),
    limit: z.coerce.number().int().min(1).max(500).default(50),
    after: text(1000).optional().describe('The page mark of the page before'),
    count: z.enum(['true', 'false']).optional().describe('Also count what the filters let through'),
    ...Object.fromEntries(
      fieldsOf(k)
        .filter(([, field]) => typeOf(field).filter)
        .map(([name]) => [name, text(255).optional().describe('Equal to this; `none` for empty; several with commas')]),
    ),
  });

/** Schemas are many and cost time to make: each is made when it is first asked for. */
function later<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}

export function routesOf(name: KindName): Record<string, Route> {
  const k = kindOf(name);
  const group = k.titles;
  const one = `/${k.path}/{ref}`;
  const title = k.title.toLowerCase();
  const record = later(() => recordSchema(k));
  const query = later(() => listQuery(k));
  const records = later(() => page(record()));
  const adding = later(() => z.union([addSchema(k), z.array(addSchema(k)).min(1).max(MOST_ADDED)]));
  const added = later(() => z.union([record(), z.array(record())]));
  const editing = later(() => editSchema(k));
  const bulk = bulkRoutesOf(k.path, { one: title, many: k.titles.toLowerCase(), group }, record);
  return {
    [`${name}.list`]: {
      method: 'GET',
      path: `/${k.path}`,
      role: 'viewer',
      summary: `List ${k.titles.toLowerCase()}`,
      group,
      get query() {
        return query();
      },
      get reply() {
        return records();
      },
    },
    [`${name}.show`]: {
      method: 'GET',
      path: one,
      role: 'viewer',
      summary: `Show one ${title}`,
      group,
      get reply() {
        return record();
      },
    },
    [`${name}.add`]: {
      method: 'POST',
      path: `/${k.path}`,
      role: 'engineer',
      summary: `Add one ${title}, or several at once`,
      group,
      status: 201,
      get body() {
        return adding();
      },
      get reply() {
        return added();
      },
    },
    [`${name}.edit`]: {
      method: 'PATCH',
      path: one,
      role: 'engineer',
      summary: `Edit one ${title}: what is left out stays, null clears`,
      group,
      get body() {
        return editing();
      },
      get reply() {
        return record();
      },
    },
    [`${name}.remove`]: {
      method: 'DELETE',
      path: one,
      role: 'engineer',
      summary: `Remove one ${title}`,
      group,
      status: 204,
    },
    [`${name}.editMany`]: bulk.editMany,
    [`${name}.removeMany`]: bulk.removeMany,
    [`${name}.clone`]: bulk.clone,
    [`${name}.removal`]: bulk.removal,
  };
}
