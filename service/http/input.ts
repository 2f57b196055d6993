/** What a request says, read once and checked. */
import { visible } from '@zpine/core/text/visible';
import { type Context } from 'hono';
import { z } from 'zod';
import { Refusal } from '@zpine/contract/errors';
import { faultsOf } from '@zpine/contract/faults';
import { type Route } from '@zpine/contract/route';

/** The version in If-Match: `"3"`, or `W/"3"` as it comes back from a compressed answer. */
export function versionOf(c: Context): number | undefined {
  const header = c.req.header('If-Match');
  if (header === undefined || header === '*') return undefined;
  const match = /^(?:W\/)?"([0-9]{1,9})"$/.exec(header.trim());
  if (!match) throw new Refusal('header-malformed', { header: 'If-Match' });
  return Number(match[1]);
}

export function idempotencyKeyOf(c: Context): string | undefined {
  const key = c.req.header('Idempotency-Key');
  if (key === undefined) return undefined;
  if (!/^[\x21-\x7e]{1,255}$/.test(key)) throw new Refusal('header-malformed', { header: 'Idempotency-Key' });
  return key;
}

export async function bodyOf(c: Context): Promise<unknown> {
  const text = await c.req.text();
  if (text === '') return {};
  const type = c.req.header('Content-Type') ?? '';
  if (!/^application\/json\b/i.test(type)) throw new Refusal('body-type');
  try {
    return JSON.parse(text) as unknown;
  } catch (error) {
    throw new Refusal('body-malformed', { why: error instanceof Error ? error.message : 'unreadable' });
  }
}

export function parsed(schema: z.ZodType, input: unknown): unknown {
  const read = schema.safeParse(input);
  if (read.success) return read.data;
  const known = schema instanceof z.ZodObject ? Object.keys(schema.shape) : [];
  throw Refusal.of(faultsOf(read.error, input, known));
}

/** The query fields of a route; `reason` goes with any write. */
export function queryOf(c: Context, route: Route): { query: unknown; reason: string | undefined } {
  const { reason, preview: _preview, previewSeconds: _seconds, ...rest } = c.req.query();
  const query = route.method === 'GET' ? c.req.query() : rest;
  return {
    query: parsed(route.query ?? z.strictObject({}), query),
    reason: route.method === 'GET' ? undefined : reason === undefined ? undefined : visible(reason).slice(0, 500),
  };
}
