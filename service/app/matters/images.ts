/** Images that nobody can fetch, and devices that run another version than they should. */
import { allOf, byIds } from '../../store/records.ts';
import { contentOf } from '../images/content.ts';
import { imagesWanted, placesNaming } from '../images/wanted.ts';
import { Found, whole, type Look } from './matter.ts';

/** So many devices are looked at: what is said then is of at least so many. */
const MOST = 2000;

/** Wanted by a layer, and without a content, or without it here. */
export const withoutContent: Look = async (tx, { limit }) => {
  const found = new Found(limit);
  for (const image of await allOf(tx, 'image')) {
    const content = contentOf(image);
    if (content && (await tx.store.contents.holds(content))) continue;
    const [by] = await placesNaming(tx, image.key);
    if (by === undefined) continue;
    const detail = content
      ? `${by} names it, and this service does not have its content`
      : `${by} names it, and it has no content yet`;
    found.add(() => ({ kind: 'image', key: image.key, detail, remedy: `zpine image put ${image.key} FILE` }));
  }
  return found.looked;
};

/** By image, since one act mends it for all of them. */
export const otherVersions: Look = async (tx, { limit }) => {
  if ((await allOf(tx, 'image')).length === 0) return whole([]);
  const rows = await tx.select<{ device_id: number; version: string; at: Date }>(
    `SELECT v.device_id, v.version, v.at FROM seen_version v JOIN device d ON d.id = v.device_id
     WHERE d.stage IN ('serving', 'unproved') ORDER BY v.device_id LIMIT ${MOST}`,
  );
  if (rows.length === 0) return whole([]);
  const devices = [...(await byIds(tx, 'device', rows, 'device_id')).values()];
  const wanted = await imagesWanted(tx, devices);
  const behind = new Map<string, { count: number; since: Date }>();
  for (const { device_id: id, version, at } of rows) {
    const image = wanted.get(Number(id))?.image;
    if (!image || image.release === version) continue;
    const { count = 0, since = at } = behind.get(image.key) ?? {};
    behind.set(image.key, { count: count + 1, since: since < at ? since : at });
  }
  return whole(
    [...behind].slice(0, limit).map(([key, { count, since }]) => ({
      kind: 'image',
      key,
      detail: `${count} device${count === 1 ? '' : 's'} that should run it said last that ${count === 1 ? 'it runs' : 'they run'} another version`,
      remedy: `zpine image devices ${key}`,
      since,
    })),
  );
};
