import { nearest } from '@zpine/core/naming/names';
import { plain } from '@zpine/core/naming/terms';
import { Refusal } from '@zpine/contract/errors';
import { canonicalKey, makeKey, splitKey, type KindDescription } from '@zpine/contract/kind';
import { isKind, kindNames, kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { byIds, byKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** `#12` is an id; everything else is a natural key. */
const idOf = (ref: string): number | undefined =>
  /^#[1-9][0-9]{0,15}$/.test(ref.trim()) ? Number(ref.trim().slice(1)) : undefined;

/** Finds records by natural key or id, all at once. What is not found is left out. */
export async function findRefs<K extends KindName>(
  tx: Tx,
  kind: K,
  refs: Iterable<string>,
  lock = false,
): Promise<Map<string, Stored<K>>> {
  const wanted = [...new Set(refs)];
  const k = kindOf(kind);
  const ids = await byIds(
    tx,
    kind,
    wanted.map(idOf).filter((id) => id !== undefined),
    lock,
  );
  const keys = await byKeys(
    tx,
    kind,
    wanted.filter((ref) => idOf(ref) === undefined).map((ref) => canonicalKey(k, ref)),
    lock,
  );
  const found = new Map<string, Stored<K>>();
  for (const ref of wanted) {
    const id = idOf(ref);
    const record = id === undefined ? keys.get(canonicalKey(k, ref)) : ids.get(id);
    if (record) found.set(ref, record);
  }
  return found;
}

/** So many that are spelled alike are compared with what was typed. */
const MOST_NEAR = 200;

/**
 * Params of the error for a reference that leads nowhere, with the key that may have been meant. `also`: keys that will
 * be there with the rest of what is under way.
 */
export async function unknownRef(
  tx: Tx,
  kind: KindName,
  ref: string,
  also: Iterable<string> = [],
): Promise<Record<string, string>> {
  const k = kindOf(kind);
  // `bodø` may well be `bodo`.
  const typed = plain(canonicalKey(k, ref)).replace(/[^\x20-\x7e]/g, '');
  const begin = typed.slice(0, 1);
  const near = await tx.select<{ natural_key: string; sort_key: string }>(
    `SELECT natural_key, sort_key FROM \`${kind}\` WHERE natural_key LIKE ? OR natural_key LIKE ?
     ORDER BY sort_key LIMIT ${MOST_NEAR}`,
    [`${likeText(begin)}%`, `%${likeText(typed)}%`],
  );
  const sorted = new Map(near.map((row) => [row.natural_key, row.sort_key]));
  for (const key of also)
    if (key.startsWith(begin) || key.includes(typed)) sorted.set(key, sorted.get(key) ?? sortKeyOf(k, key));
  const keys = [...sorted]
    .sort(([, one], [, other]) => (one < other ? -1 : one > other ? 1 : 0))
    .slice(0, MOST_NEAR)
    .map(([key]) => key);
  const meant = nearest(typed, keys) ?? keys.find((key) => key.endsWith(`/${typed}`));
  return { kind, ref, ...(meant === undefined ? {} : { meant }) };
}

/** The text by which a key is sorted, of a key alone. */
const sortKeyOf = (k: KindDescription, key: string): string => makeKey(k, Object.values(splitKey(k, key))).sortKey;

export const likeText = (text: string): string => text.replace(/[\\%_]/g, '\\$&');

/** One record that a request names; refused with a suggestion when there is none. */
export async function mustFind<K extends KindName>(tx: Tx, kind: K, ref: string, lock = false): Promise<Stored<K>> {
  const found = (await findRefs(tx, kind, [ref], lock)).get(ref);
  if (!found) throw new Refusal('not-found', await unknownRef(tx, kind, ref));
  return found;
}

/** Several at once, held until the unit of work ends, in the order of asking. */
export async function mustFindAll<K extends KindName>(tx: Tx, kind: K, refs: string[]): Promise<Stored<K>[]> {
  // One is held as it is found; many in the order of their ids, as everybody does, so that nobody waits in a circle.
  const found = await findRefs(tx, kind, refs, refs.length === 1);
  const ids = [...found.values()].map((record) => record.id);
  const locked =
    refs.length === 1
      ? new Map([...found.values()].map((record) => [record.id, record]))
      : await byIds(tx, kind, ids, true);
  const out: Stored<K>[] = [];
  for (const ref of refs) {
    const record = locked.get(found.get(ref)?.id ?? 0);
    if (!record) throw new Refusal('not-found', await unknownRef(tx, kind, ref));
    out.push(record);
  }
  return out;
}

/** The same for a field of a body, so that the fault points at it. */
export async function mustFindField<K extends KindName>(
  tx: Tx,
  kind: K,
  ref: string,
  field: string,
): Promise<Stored<K>> {
  const found = (await findRefs(tx, kind, [ref])).get(ref);
  if (!found) throw Refusal.at([field], 'ref-unknown', await unknownRef(tx, kind, ref));
  return found;
}

/** A kind that a request names. */
export function kindGiven(name: string): KindName {
  if (isKind(name)) return name;
  const near = nearest(name, kindNames);
  throw Refusal.at(['kind'], 'import-kind-unknown', { kind: name, ...(near ? { meant: near } : {}) });
}

/** Several for a list of a body, in the order of asking and each once; every unknown one is named. */
export async function mustFindFieldMany<K extends KindName>(
  tx: Tx,
  kind: K,
  refs: string[],
  field: string,
): Promise<Stored<K>[]> {
  const found = await findRefs(tx, kind, refs);
  const unknown = refs.flatMap((ref, i) => (found.has(ref) ? [] : [{ ref, i }]));
  if (unknown.length > 0) {
    const faults = [];
    for (const { ref, i } of unknown.slice(0, 50))
      faults.push({ path: [field, i], code: 'ref-unknown' as const, params: await unknownRef(tx, kind, ref) });
    throw Refusal.of(faults);
  }
  return [
    ...new Map(refs.map((ref) => found.get(ref)).flatMap((one) => (one ? [[one.id, one] as const] : []))).values(),
  ];
}
