/** Contents of images, in and out: as streams, never as a whole in memory. */
import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import type { Context } from 'hono';
import type { QueryOf } from '@zpine/contract/routes';
import { imageHere, receiveImage } from '../app/images/content.ts';
import type { Actor, Store } from '../store/store.ts';
import { drain, piecesOf } from './upload.ts';

/** `most`: bytes. */
export async function takeImage(
  c: Context,
  store: Store,
  actor: Actor,
  query: QueryOf<'image.put'>,
  most: number,
): Promise<Response> {
  const { pieces, body } = piecesOf(c);
  const told = c.req.header('Content-Length');
  const announced = told !== undefined && /^\d{1,15}$/.test(told) ? Number(told) : undefined;
  try {
    return c.json(await receiveImage(store, actor, { ref: c.req.param('ref') ?? '', query, body, announced, most }));
  } catch (error) {
    await drain(pieces);
    throw error;
  }
}

export async function giveImage(c: Context, store: Store, actor: Actor): Promise<Response> {
  const { sha256, bytes, file } = await imageHere(store, actor, c.req.param('ref') ?? '');
  const content = Readable.toWeb(createReadStream(store.contents.path(sha256))) as ReadableStream;
  return c.body(content, 200, {
    'Content-Type': 'application/octet-stream',
    'Content-Length': String(bytes),
    'Content-Disposition': `attachment; filename="${file}"`,
    ETag: `"${sha256}"`,
  });
}
