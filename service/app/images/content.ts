/** What an image consists of: taken in as a stream, held against the digest that people expect, and kept by its own. */
import { readDigest } from '@zpine/core/images/wanted';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { NoRoom, TooLarge, type Coming, type Content } from '../../store/contents.ts';
import { allOf } from '../../store/records.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { setFields } from '../records/edit.ts';
import { mustFindAll } from '../records/refs.ts';

/** Of an image that has one. */
export const contentOf = ({ sha256, bytes }: Stored<'image'>): Content | undefined =>
  sha256 === null || bytes === null ? undefined : { sha256, bytes };

export async function imageNamed(tx: Tx, ref: string): Promise<Stored<'image'>> {
  const [image] = await mustFindAll(tx, 'image', [ref]);
  if (!image) throw new Refusal('not-found', { kind: 'image', ref });
  return image;
}

/** With a content that is here. */
export async function imageHere(store: Store, actor: Actor, ref: string): Promise<Stored<'image'> & Content> {
  const image = await readOnly(store, actor, (tx) => imageNamed(tx, ref));
  const content = contentOf(image);
  if (!content) throw new Refusal('image-empty', { image: image.key });
  if (!(await store.contents.holds(content)))
    throw new Refusal('image-absent', { image: image.key, sha256: content.sha256 });
  return { ...image, ...content };
}

export interface ReceiveInput {
  ref: string;
  query: QueryOf<'image.put'>;
  body: AsyncIterable<Uint8Array>;
  /** How long the body says it is; undefined where it does not. */
  announced: number | undefined;
  /** In bytes. */
  most: number;
}

export async function receiveImage(store: Store, actor: Actor, input: ReceiveInput): Promise<ReplyOf<'image.put'>> {
  const { ref, query, announced, most } = input;
  const expected = query.digest === undefined ? undefined : readDigest(query.digest);
  if (query.digest !== undefined && !expected)
    throw Refusal.at(['digest'], 'image-digest-form', { value: query.digest });
  const image = await readOnly(store, actor, (tx) => imageNamed(tx, ref));
  const room = await store.contents.room();
  if (announced !== undefined && announced > most) throw new Refusal('image-large', { most });
  if (announced !== undefined && announced > room) throw new Refusal('image-room', { room });
  const coming = await taken(store, input, room);
  try {
    if (announced !== undefined && coming.bytes !== announced)
      throw new Refusal('image-broken', { bytes: coming.bytes, wanted: announced });
    if (coming.bytes === 0) throw new Refusal('image-nothing');
    if (expected && coming[expected.algorithm] !== expected.hex)
      throw new Refusal('image-digest', {
        algorithm: expected.algorithm === 'sha256' ? 'SHA-256' : 'SHA-512',
        found: coming[expected.algorithm],
        wanted: expected.hex,
      });
    if (image.sha256 !== null && image.sha256 !== coming.sha256 && query.replace !== 'true')
      throw new Refusal('image-other', { image: image.key, sha256: image.sha256 });
    // What stands in the folder and is named by no record is cleared away one day; a record without it would lie.
    await coming.keep();
  } catch (error) {
    await coming.drop();
    throw error;
  }
  const { bytes, sha256, sha512 } = coming;
  return transact(store, actor, 'image.put', async (tx) => {
    const now = await imageNamed(tx, `#${image.id}`);
    const same = now.sha256 === sha256 && now.bytes === bytes;
    if (!same) await setFields(tx, 'image', image.id, { bytes, sha256, sha512 });
    return { image: now.key, bytes, sha256, sha512, changed: !same };
  });
}

async function taken(store: Store, { body, most }: ReceiveInput, room: number): Promise<Coming> {
  try {
    return await store.contents.take(body, most);
  } catch (error) {
    if (error instanceof TooLarge) throw new Refusal('image-large', { most });
    if (error instanceof NoRoom) throw new Refusal('image-room', { room });
    throw error;
  }
}

/** Which contents this service has: others may lack one, or have it. `verify`: all of them are read. */
export async function imagesHeld(tx: Tx, { verify }: QueryOf<'image.held'>): Promise<ReplyOf<'image.held'>> {
  const { contents } = tx.store;
  const items: ReplyOf<'image.held'>['items'] = [];
  for (const image of [...(await allOf(tx, 'image'))].sort((a, b) => (a.key < b.key ? -1 : 1))) {
    const content = contentOf(image);
    const here = content !== undefined && (await contents.holds(content));
    const sound = here && verify === 'true' ? await contents.isSound(content) : undefined;
    const state = !content ? 'empty' : !here ? 'absent' : sound === false ? 'damaged' : sound ? 'sound' : 'here';
    items.push({ image: image.key, bytes: image.bytes, sha256: image.sha256, state });
  }
  return { folder: contents.folder, room: await contents.room(), items };
}
