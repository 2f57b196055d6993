/** Images that are fetched: by a device in its arrival window that wants it, or while it is brought to another version. */
import type { Stored } from '@zpine/contract/kinds';
import { contentOf } from '../images/content.ts';
import { UPGRADE_WORD, upgradesUnderWay } from '../images/upgradeRows.ts';
import { imagesWanted } from '../images/wanted.ts';
import type { Tx } from '../../store/tx.ts';
import type { FileAnswer } from './fileAnswer.ts';

/** The image that goes by this name; undefined where the device wants none of that name. */
export async function imageWantedAs(
  tx: Tx,
  device: Stored<'device'>,
  name: string,
): Promise<Stored<'image'> | undefined> {
  const image = (await imagesWanted(tx, [device])).get(device.id)?.image;
  return image?.file === name ? image : undefined;
}

export async function imageFile(tx: Tx, device: number, image: Stored<'image'>): Promise<FileAnswer> {
  const content = contentOf(image);
  if (!content) return { ok: false, code: 'not-found', why: `image ${image.key} has no content yet` };
  if (!(await tx.store.contents.holds(content)))
    return { ok: false, code: 'access', why: `this service does not have the content of image ${image.key}` };
  const shown = { bytes: content.bytes, fingerprint: content.sha256.slice(0, 32) };
  return { ok: true, content, device, leg: null, shown, image: image.key };
}

/** What a device fetches that runs, and is brought to another version just now. */
export async function imageOnUpgrade(
  tx: Tx,
  asked: { name: string; from: string; word?: string | undefined },
): Promise<FileAnswer | undefined> {
  const { name, from, word } = asked;
  if (word !== undefined && !word.startsWith(UPGRADE_WORD)) return undefined;
  const mine = (await upgradesUnderWay(tx)).find((one) =>
    word === undefined ? one.address === from && one.file === name : one.word === word,
  );
  if (!mine)
    return word === undefined ? undefined : { ok: false, code: 'access', why: 'the URL is of no upgrade under way' };
  if (mine.file !== name) return { ok: false, code: 'not-found', why: `${mine.device} fetches ${mine.file} now` };
  return imageFile(tx, mine.id, mine.image);
}
