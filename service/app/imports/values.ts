/** Values of settings in layers, among the rows of an import. */
import { layerKinds, modes, valueFromText } from '@zpine/core/settings/layers';
import { Refusal } from '@zpine/contract/errors';
import { type Value } from '@zpine/contract/fields';
import { type ImportKind } from '@zpine/contract/importRoutes';
import { findRefs, unknownRef } from '../records/refs.ts';
import { type Tx } from '../../store/tx.ts';
import { typeOfSetting } from '../settings/effective.ts';
import { recordOf } from '../settings/layers.ts';
import { putValue, standingValue } from '../settings/values.ts';
import { type Import } from './engine.ts';
import { type ImportRow } from './rows.ts';

const known = ['setting', 'layer', 'of', 'mode', 'value'];

/** A value is one of a setting in a layer. */
export const nameOfValue = ({ fields }: ImportRow): string =>
  [fields.setting, fields.layer, fields.of ?? ''].join(' ').toLowerCase().trim();

export async function takeValues(tx: Tx, work: Import, rows: ImportRow[]): Promise<void> {
  for (const row of rows) {
    if (work.full) return;
    await takeValue(tx, work, row);
  }
}

async function takeValue(tx: Tx, work: Import, row: ImportRow): Promise<boolean> {
  const { setting: name, layer, of, value: given } = row.fields;
  const mode = row.fields.mode ?? 'set';
  const stray = Object.keys(row.fields).find((field) => !known.includes(field) && row.fields[field] !== null);
  if (stray !== undefined) return no(work, row, stray, 'field-unknown', { field: stray });
  if (typeof name !== 'string') return no(work, row, 'setting', 'value-missing');
  if (!isOne(layerKinds, layer))
    return no(work, row, 'layer', 'value-choice', { value: text(layer), choices: layerKinds.join(', ') });
  if (!isOne(modes, mode))
    return no(work, row, 'mode', 'value-choice', { value: text(mode), choices: modes.join(', ') });
  const setting = (await findRefs(tx, 'setting', [name])).get(name);
  if (!setting) {
    if (work.isBroken('setting', name)) return false;
    return no(work, row, 'setting', 'ref-unknown', await unknownRef(tx, 'setting', name, work.keysOf('setting')));
  }
  const record = recordOf(layer);
  if (record && typeof of === 'string' && work.isBroken(record, of)) return false;
  // A cell of a table is text, whatever the setting wants.
  const asText = row.heads.value !== undefined && typeof given === 'string';
  const value = asText ? valueFromText(typeOfSetting(setting), mode, given) : given;
  const input = { setting: name, layer, mode, value: value as Value, ...(typeof of === 'string' ? { of } : {}) };
  try {
    const before = await standingValue(tx, input);
    await putValue(tx, input);
    const after = await standingValue(tx, input);
    if (!after) throw new Error('the value is not there');
    const same = before?.version === after.version;
    work.count(same ? 'same' : before ? 'edit' : 'add');
    if (!same) {
      const change = { field: 'value', before: before?.shown.value ?? null, after: after.shown.value };
      const key = `${setting.name} ${layer}${after.shown.of === '' ? '' : ` ${after.shown.of}`}`;
      const action = before ? ('edit' as const) : ('add' as const);
      work.note({ file: row.file, row: row.row, kind: 'value' satisfies ImportKind, key, action, changes: [change] });
    }
    return true;
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    const [fault] = error.faults;
    return no(work, row, fault ? String(fault.path[0]) : null, error.code, await work.withMeant(error));
  }
}

const isOne = <T extends string>(all: readonly T[], value: unknown): value is T =>
  (all as readonly unknown[]).includes(value);
const text = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value ?? null));

function no(work: Import, row: ImportRow, field: string | null, ...why: [Refusal['code'], Refusal['params']?]): false {
  work.fault(row, field, why[0], why[1] ?? {});
  return false;
}
