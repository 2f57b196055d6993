/** Gives settings their values in layers, and takes them away. */
import { layerKinds, type LayerKind, type Mode, type SettingValue } from '@zpine/core/settings/layers';
import { grouped } from '@zpine/core/lists/grouped';
import { SECRET_MASK } from '@zpine/core/template/render';
import { Refusal } from '@zpine/contract/errors';
import type { LayerValueShown } from '@zpine/contract/onboardingShapes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { KindName, Stored } from '@zpine/contract/kinds';
import type { Row, Value } from '@zpine/contract/fields';
import { byIds, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { saveSecrets } from '../secrets/known.ts';
import { mustFindField } from '../records/refs.ts';
import { maskedValue } from './effective.ts';
import { refuseDisagreeing } from './labels.ts';
import { openValue, recordOf, type ValueRow, settingValues } from './layers.ts';
import { refuseMeaningless } from './meanings.ts';
import { readOwnValue, refuseForeignLayer } from './options.ts';

export interface Target {
  kind: LayerKind;
  id: number;
  key: string;
}

async function targetOf(tx: Tx, layer: LayerKind, of: string | undefined): Promise<Target> {
  const kind = recordOf(layer);
  if (!kind) {
    if (of !== undefined) throw Refusal.at(['of'], 'layer-everywhere');
    return { kind: layer, id: 0, key: '' };
  }
  if (of === undefined) throw Refusal.at(['of'], 'value-missing');
  const record = await mustFindField(tx, kind, of, 'of');
  return { kind: layer, id: record.id, key: record.key };
}

const nameOf = (setting: Stored<'setting'>, target: Target): string =>
  `${setting.name} ${target.key === '' ? target.kind : `${target.kind} ${target.key}`}`;

/**
 * What history keeps: secrets are named by their version, and kept sealed for whoever takes the change back. `place` is
 * where it stood. Neither is ever shown.
 */
const image = (
  tx: Tx,
  setting: Stored<'setting'>,
  target: Target,
  row: { mode: string; value: SettingValue; version: number },
): Record<string, Value> => ({
  mode: row.mode,
  ...(setting.secret && row.mode !== 'take-away'
    ? { value: { secret: `version ${row.version}` }, sealed: tx.sealer.seal(JSON.stringify(row.value)) }
    : { value: row.value }),
  place: { layer: target.kind, of: target.id, setting: setting.id },
});

const hidden = (params: Record<string, string | number>): Record<string, string | number> =>
  Object.fromEntries(
    Object.entries(params).map(([name, value]) => [name, typeof value === 'string' ? SECRET_MASK : value]),
  );

export async function putValue(tx: Tx, input: BodyOf<'value.put'>): Promise<LayerValueShown> {
  const setting = await mustFindField(tx, 'setting', input.setting, 'setting');
  const target = await targetOf(tx, input.layer, input.of);
  const value = await readNewValue(tx, setting, target, input);
  const before = await rowFor(tx, setting, target);
  if (!isSame(tx, before, value)) {
    await saveValues(tx, [{ ...value, before }]);
    if (target.kind === 'label') await refuseDisagreeing(tx, target.key);
  }
  const row = await rowFor(tx, setting, target);
  if (!row) throw new Error('the value is not there');
  return shown(tx, setting, row, target.key);
}

async function rowFor(tx: Tx, setting: Stored<'setting'>, target: Target): Promise<ValueRow | undefined> {
  return tx.one<ValueRow>(
    `SELECT ${settingValues.all} FROM setting_value WHERE layer_kind = ? AND layer_id = ? AND setting_id = ? FOR UPDATE`,
    [target.kind, target.id, setting.id],
  );
}

/** The rows of values in layers, held until the unit of work ends, in the order of asking. */
export async function standingRows(
  tx: Tx,
  values: readonly { setting: Stored<'setting'>; target: Target }[],
): Promise<(ValueRow | undefined)[]> {
  if (values.length === 0) return [];
  const groups = [...grouped(values, ({ setting, target }) => `${target.kind} ${setting.id}`).values()];
  // By the key of the table, part by part: rows of a list of triples would be looked for, and held, in all of it.
  const rows = await tx.select<ValueRow>(
    `SELECT ${settingValues.all} FROM setting_value
     WHERE ${groups.map(() => '(layer_kind = ? AND layer_id IN (?) AND setting_id = ?)').join(' OR ')} ORDER BY id FOR UPDATE`,
    groups.flatMap((group) => [group[0]?.target.kind, group.map(({ target }) => target.id), group[0]?.setting.id]),
  );
  const found = new Map(rows.map((row) => [`${row.layer_kind} ${row.layer_id} ${row.setting_id}`, row]));
  return values.map(({ setting, target }) => found.get(`${target.kind} ${target.id} ${setting.id}`));
}

/** A value on its way into a layer. */
export interface NewValue {
  setting: Stored<'setting'>;
  target: Target;
  mode: Mode;
  value: SettingValue;
}

/** Checks what is sent for a setting. */
export async function readNewValue(
  tx: Tx,
  setting: Stored<'setting'>,
  target: Target,
  input: Pick<BodyOf<'value.put'>, 'mode' | 'value'>,
): Promise<NewValue> {
  const { mode } = input;
  refuseForeignLayer(setting, target.kind);
  const read = readOwnValue(setting, mode, input.value);
  // What was sent for a secret may be one, whatever is wrong with it.
  if (!read.ok)
    throw Refusal.at(['value'], read.fault.code, setting.secret ? hidden(read.fault.params) : read.fault.params);
  if (mode !== 'take-away') await refuseMeaningless(tx, setting.name, read.value);
  if (setting.secret && mode !== 'take-away' && JSON.stringify(read.value).includes(SECRET_MASK))
    throw Refusal.at(['value'], 'mask-sent', { place: setting.name, mask: SECRET_MASK });
  return { setting, target, mode, value: read.value };
}

export const isSame = (tx: Tx, before: ValueRow | undefined, { mode, value }: NewValue): boolean =>
  before !== undefined && before.mode === mode && JSON.stringify(openValue(tx, before)) === JSON.stringify(value);

/** Writes values that were checked, over those that stand in their layers; notes what changed. */
export async function saveValues(tx: Tx, values: (NewValue & { before: ValueRow | undefined })[]): Promise<void> {
  if (values.length === 0) return;
  const at = await tx.now();
  const rows: Row[] = [];
  for (const { setting, target, mode, value, before } of values) {
    // The names that are taken away from a secret map are no secret themselves.
    const sealed = setting.secret && mode !== 'take-away';
    if (sealed) await saveSecrets(tx, target, value);
    const text = JSON.stringify(value);
    rows.push({
      layer_kind: target.kind,
      layer_id: target.id,
      setting_id: setting.id,
      mode,
      value: sealed ? tx.sealer.seal(text) : text,
      sealed: sealed ? 1 : 0,
      version: (before?.version ?? 0) + 1,
      updated_at: at,
      updated_by: tx.actor.name,
    });
  }
  const standing = rows.flatMap((row, i) => (values[i]?.before ? [{ id: values[i].before.id, ...row }] : []));
  await tx.replaceRows('setting_value', standing, ['mode', 'value', 'sealed', 'version', 'updated_at', 'updated_by']);
  const fresh = await tx.insertRows(
    'setting_value',
    rows.filter((_, i) => !values[i]?.before),
  );
  for (const { setting, target, mode, value, before } of values) {
    const version = (before?.version ?? 0) + 1;
    await tx.change({
      kind: 'value',
      id: before ? Number(before.id) : (fresh.shift() ?? 0),
      key: nameOf(setting, target),
      versionFrom: before?.version ?? null,
      versionTo: version,
      before: before
        ? image(tx, setting, target, { mode: before.mode, value: openValue(tx, before), version: before.version })
        : null,
      after: image(tx, setting, target, { mode, value, version }),
    });
  }
}

async function dropRow(tx: Tx, setting: Stored<'setting'>, target: Target, row: ValueRow): Promise<void> {
  await tx.execute('DELETE FROM setting_value WHERE id = ?', [row.id]);
  await tx.change({
    kind: 'value',
    id: Number(row.id),
    key: nameOf(setting, target),
    versionFrom: row.version,
    versionTo: null,
    before: image(tx, setting, target, { mode: row.mode, value: openValue(tx, row), version: row.version }),
    after: null,
  });
}

export async function removeValue(tx: Tx, input: BodyOf<'value.remove'>): Promise<{ removed: boolean }> {
  const setting = await mustFindField(tx, 'setting', input.setting, 'setting');
  const target = await targetOf(tx, input.layer, input.of);
  const row = await rowFor(tx, setting, target);
  if (!row) return { removed: false };
  await dropRow(tx, setting, target, row);
  return { removed: true };
}

/** What a layer says, said again by another one of its kind. */
export async function copyValues(tx: Tx, kind: KindName, from: number, to: { id: number; key: string }): Promise<void> {
  if (!(layerKinds as readonly string[]).includes(kind)) return;
  const rows = await tx.select<ValueRow>(
    `SELECT ${settingValues.all} FROM setting_value WHERE layer_kind = ? AND layer_id = ?`,
    [kind, from],
  );
  const settings = await byIds(tx, 'setting', rows, 'setting_id');
  const values: Parameters<typeof saveValues>[1] = [];
  for (const row of rows) {
    const setting = settings.get(Number(row.setting_id));
    const target = { kind: kind as LayerKind, id: to.id, key: to.key };
    if (setting) values.push({ setting, target, mode: row.mode, value: openValue(tx, row), before: undefined });
  }
  await saveValues(tx, values);
}

/** The values of a layer go with its record, in the same change set. */
export async function dropValuesOf(tx: Tx, kind: KindName, records: { id: number; key: string }[]): Promise<void> {
  if (!(layerKinds as readonly string[]).includes(kind)) return;
  for (const record of records) {
    const rows = await tx.select<ValueRow>(
      `SELECT ${settingValues.all} FROM setting_value WHERE layer_kind = ? AND layer_id = ? FOR UPDATE`,
      [kind, record.id],
    );
    const settings = await byIds(tx, 'setting', rows, 'setting_id');
    for (const row of rows) {
      const setting = settings.get(Number(row.setting_id));
      if (setting) await dropRow(tx, setting, { kind: kind as LayerKind, ...record }, row);
    }
  }
}

/** A value as people see it: secrets are masked. */
export const presentValue = (setting: Stored<'setting'>, mode: Mode, value: SettingValue): SettingValue =>
  setting.secret && mode !== 'take-away' ? maskedValue(value) : value;

function shown(tx: Tx, setting: Stored<'setting'>, row: ValueRow, key: string): LayerValueShown {
  return {
    setting: setting.name,
    layer: row.layer_kind,
    of: key,
    mode: row.mode,
    value: presentValue(setting, row.mode, openValue(tx, row)),
    secret: setting.secret,
    updatedAt: row.updated_at.toISOString(),
    updatedBy: row.updated_by,
  };
}

const MOST = 1000;

export async function listValues(tx: Tx, query: QueryOf<'value.list'>): Promise<ReplyOf<'value.list'>> {
  const where: string[] = ['1 = 1'];
  const values: unknown[] = [];
  if (query.setting !== undefined) {
    where.push('setting_id = ?');
    values.push((await mustFindField(tx, 'setting', query.setting, 'setting')).id);
  }
  if (query.layer !== undefined) {
    where.push('layer_kind = ?');
    values.push(query.layer);
    if (query.of !== undefined) {
      where.push('layer_id = ?');
      values.push((await targetOf(tx, query.layer, query.of)).id);
    }
  } else if (query.of !== undefined) throw Refusal.at(['layer'], 'value-missing');
  const rows = await tx.select<ValueRow>(
    `SELECT ${settingValues.all} FROM setting_value WHERE ${where.join(' AND ')} ORDER BY layer_kind, layer_id, setting_id LIMIT ${MOST}`,
    values,
  );
  const settings = await byIds(tx, 'setting', rows, 'setting_id');
  const items: LayerValueShown[] = [];
  for (const row of rows) {
    const setting = settings.get(Number(row.setting_id));
    const kind = recordOf(row.layer_kind);
    const id = Number(row.layer_id);
    const key = kind ? ((await keysOf(tx, kind, [id])).get(id) ?? `#${id}`) : '';
    if (setting) items.push(shown(tx, setting, row, key));
  }
  return { items, next: null };
}

/** All values of all layers, as an import takes them. */
export async function everyValue(tx: Tx): Promise<{ secret: boolean; row: Record<string, Value> }[]> {
  const rows = await tx.select<ValueRow & { name: string; secret: number }>(
    `SELECT ${settingValues.of('v')}, s.name, s.secret FROM setting_value v JOIN setting s ON s.id = v.setting_id ORDER BY s.sort_key, v.layer_kind, v.layer_id`,
  );
  const out: { secret: boolean; row: Record<string, Value>; place: string }[] = [];
  const keys = new Map<KindName, Map<number, string>>();
  for (const kind of new Set(rows.map((row) => recordOf(row.layer_kind))))
    if (kind) {
      const ids = rows.filter((row) => recordOf(row.layer_kind) === kind).map((row) => Number(row.layer_id));
      keys.set(kind, await keysOf(tx, kind, [...new Set(ids)]));
    }
  for (const row of rows) {
    const kind = recordOf(row.layer_kind);
    const key = kind ? (keys.get(kind)?.get(Number(row.layer_id)) ?? '') : '';
    const secret = Boolean(row.secret) && row.mode !== 'take-away';
    const shown = { mode: row.mode, value: secret ? null : openValue(tx, row) };
    const at = { setting: row.name, layer: row.layer_kind, ...(key === '' ? {} : { of: key }) };
    out.push({ secret, row: { ...at, ...shown }, place: `${row.name} ${row.layer_kind} ${key}` });
  }
  // By keys: ids are not the same in another database.
  return out.sort((a, b) => (a.place < b.place ? -1 : 1)).map(({ secret, row }) => ({ secret, row }));
}
