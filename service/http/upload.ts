import type { Context } from 'hono';
import type { QueryOf } from '@zpine/contract/routes';
import { receiveUpload } from '../app/imports/uploads.ts';
import type { Actor, Store } from '../store/store.ts';

const none = async function* (): AsyncGenerator<Uint8Array> {};

/** The body as it comes, never as a whole in memory. */
export async function answerUpload(
  c: Context,
  store: Store,
  actor: Actor,
  query: QueryOf<'import.upload'>,
  most: number,
): Promise<Response> {
  const { pieces, body } = piecesOf(c);
  try {
    return c.json(await receiveUpload(store, actor, query, body, most), 201);
  } catch (error) {
    await drain(pieces);
    throw error;
  }
}

/** What a client sends, and the same for whoever may stop before its end without ending it. */
export function piecesOf(c: Context): { pieces: AsyncIterator<Uint8Array>; body: AsyncIterable<Uint8Array> } {
  const sent = (c.req.raw.body as AsyncIterable<Uint8Array> | null) ?? none();
  const pieces = sent[Symbol.asyncIterator]();
  return { pieces, body: { [Symbol.asyncIterator]: () => ({ next: () => pieces.next() }) } };
}

/** A client that is still sending would not hear the answer; but nobody may go on for ever. */
const MOST_DRAINED = 256 << 20;

export async function drain(pieces: AsyncIterator<Uint8Array>): Promise<void> {
  for (let bytes = 0; bytes < MOST_DRAINED;) {
    const piece = await pieces.next().catch(() => undefined);
    if (!piece || piece.done) return;
    bytes += piece.value.byteLength;
  }
}
