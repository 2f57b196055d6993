import { type Context } from 'hono';
import { type QueryOf } from '@zpine/contract/routes';
import { receiveUpload } from '../app/imports/uploads.ts';
import { type Actor, type Store } from '../store/tx.ts';

const none = async function* (): AsyncGenerator<Uint8Array> {};

/** The body as it comes, never as a whole in memory. */
export async function takeUpload(
  c: Context,
  store: Store,
  actor: Actor,
  query: QueryOf<'import.upload'>,
  most: number,
): Promise<Response> {
  const body = c.req.raw.body as AsyncIterable<Uint8Array> | null;
  return c.json(await receiveUpload(store, actor, query, body ?? none(), most), 201);
}
