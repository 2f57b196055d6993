/** Changes of values of settings taken back. */
import { Refusal } from '@zpine/contract/errors';
import type { Tx } from '../../store/tx.ts';
import { imageOf, type ChangeRow, type Image, type TookBack } from './changes.ts';

/** The value of a setting in a layer; a secret comes out of its seal. */
export async function takeBackValue(tx: Tx, change: ChangeRow): Promise<TookBack> {
  const { kind, record_key: key } = change;
  const [before, after] = [imageOf(change.before), imageOf(change.after)];
  if (before && isSecret(before) && typeof before.sealed !== 'string') throw new Refusal('undo-kind', { kind, key });
  const id = Number(change.record_id);
  const row = await tx.one<{ version: number }>('SELECT version FROM setting_value WHERE id = ? FOR UPDATE', [id]);
  if (after !== null && !row) throw new Refusal('undo-gone', { kind, key });
  if (after !== null && row && row.version !== change.version_to)
    throw new Refusal('undo-newer', { kind, key, current: row.version, version: change.version_to ?? 0 });
  if (after === null) return putValueBack(tx, change, before ?? {});
  const note = { kind: 'value' as const, id, key, versionFrom: row?.version ?? null, before: after };
  if (before === null) {
    await tx.execute('DELETE FROM setting_value WHERE id = ?', [id]);
    await tx.change({ ...note, versionTo: null, after: null });
    return 'removed';
  }
  const version = (row?.version ?? 0) + 1;
  await tx.execute(
    'UPDATE setting_value SET mode = ?, value = ?, sealed = ?, version = ?, updated_at = ?, updated_by = ? WHERE id = ?',
    [before.mode, heldText(before), isSecret(before) ? 1 : 0, version, await tx.now(), tx.actor.name, id],
  );
  await tx.change({ ...note, versionTo: version, after: before });
  return 'edited';
}

const isSecret = (image: Image): boolean =>
  typeof image.value === 'object' && image.value !== null && 'secret' in image.value;

/** As the table of values holds it: sealed, or as JSON. */
const heldText = (image: Image): string => (isSecret(image) ? String(image.sealed) : JSON.stringify(image.value));

async function putValueBack(tx: Tx, change: ChangeRow, image: Image): Promise<TookBack> {
  const { kind, record_key: key } = change;
  const place = image.place as { layer: string; of: number; setting: number };
  const id = Number(change.record_id);
  const taken = await tx.one('SELECT id FROM setting_value WHERE layer_kind = ? AND layer_id = ? AND setting_id = ?', [
    place.layer,
    place.of,
    place.setting,
  ]);
  if (taken) throw new Refusal('undo-back', { kind, key });
  const version = (change.version_from ?? 0) + 1;
  const columns = {
    layer_kind: place.layer,
    layer_id: place.of,
    setting_id: place.setting,
    mode: image.mode,
    sealed: isSecret(image) ? 1 : 0,
  };
  const row = {
    id,
    ...columns,
    value: heldText(image),
    version,
    updated_at: await tx.now(),
    updated_by: tx.actor.name,
  };
  await tx.insertRows('setting_value', [row], '');
  await tx.change({ kind: 'value', id, key, versionFrom: null, versionTo: version, before: null, after: image });
  return 'added';
}
