/** What a request says, read once and checked. */
import { depthOfJson, MOST_DEPTH } from '@zpine/core/text/depth';
import { visible } from '@zpine/core/text/visible';
import type { Context } from 'hono';
import { z } from 'zod';
import { Refusal } from '@zpine/contract/errors';
import { faultsOf } from '@zpine/contract/faults';
import type { Route } from '@zpine/contract/route';

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

/** The text of a body, read only now: who may not send one has been turned away before. */
export async function textOf(c: Context, most: number): Promise<string> {
  const told = Number(c.req.header('Content-Length') ?? 0);
  const stream = c.req.raw.body as AsyncIterable<Uint8Array> | null;
  if (told > most) throw new Refusal('body-large', { max: most });
  if (!stream) return '';
  const pieces: Uint8Array[] = [];
  let bytes = 0;
  for await (const piece of stream) {
    bytes += piece.byteLength;
    if (bytes > most) throw new Refusal('body-large', { max: most });
    pieces.push(piece);
  }
  if (bytes === 0) return '';
  const type = c.req.header('Content-Type') ?? '';
  if (!/^application\/json\b/i.test(type)) throw new Refusal('body-type');
  return new TextDecoder().decode(pieces.length === 1 ? pieces[0] : Buffer.concat(pieces));
}

/** What a body says; one without any is an empty object. */
export function bodyIn(text: string): unknown {
  if (text === '') return {};
  if (depthOfJson(text, MOST_DEPTH) > MOST_DEPTH) throw new Refusal('body-deep', { max: MOST_DEPTH });
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
export function queryOf(said: Record<string, string>, route: Route): { query: unknown; reason: string | undefined } {
  const { reason, preview: _preview, previewSeconds: _seconds, ...rest } = said;
  const query = route.method === 'GET' ? said : rest;
  return {
    query: parsed(route.query ?? z.strictObject({}), query),
    reason: route.method === 'GET' ? undefined : reason === undefined ? undefined : visible(reason).slice(0, 500),
  };
}
