/** Values of settings in layers, among the rows of an import. */
import { layerKinds, modes, valueFromText, type LayerKind, type Mode } from '@zpine/core/settings/layers';
import { Refusal } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import type { ImportKind } from '@zpine/contract/importRoutes';
import type { Stored } from '@zpine/contract/kinds';
import { findRefs, unknownRef } from '../records/refs.ts';
import type { Tx } from '../../store/tx.ts';
import { typeOfSetting } from '../settings/effective.ts';
import { refuseDisagreeing } from '../settings/labels.ts';
import { openValue, recordOf, type ValueRow } from '../settings/layers.ts';
import {
  isSame,
  readNewValue,
  saveValues,
  presentValue,
  standingRows,
  type NewValue,
  type Target,
} from '../settings/values.ts';
import type { Import } from './engine.ts';
import type { ImportRow } from './rows.ts';

const known = ['setting', 'layer', 'of', 'mode', 'value'];

/** A value is one of a setting in a layer. */
export const nameOfValue = ({ fields }: ImportRow): string =>
  [fields.setting, fields.layer, fields.of ?? ''].join(' ').toLowerCase().trim();

/** A row that was understood, with the value that it gives. */
interface Read {
  row: ImportRow;
  setting: Stored<'setting'>;
  target: Target;
  input: { mode: Mode; value: Value };
}

export async function importValues(tx: Tx, work: Import, rows: ImportRow[]): Promise<void> {
  const read = await understood(tx, work, rows);
  // Of one value twice, by two spellings of its record, and of labels that may disagree, one is taken at a time.
  const taken = new Set<string>();
  const alone: Read[] = [];
  const together = read.filter((one) => {
    const place = `${one.target.kind} ${one.target.id} ${one.setting.id}`;
    const free = one.target.kind !== 'label' && !taken.has(place);
    taken.add(place);
    if (!free) alone.push(one);
    return free;
  });
  await saveRead(tx, work, together);
  for (const one of alone) await saveRead(tx, work, [one]);
}

/** Rows with a setting, a layer and a record of it that there are; of the others it is said what is wrong. */
async function understood(tx: Tx, work: Import, rows: readonly ImportRow[]): Promise<Read[]> {
  const settings = await findRefs(tx, 'setting', namesIn(rows, 'setting'));
  const records = new Map<LayerKind, ReadonlyMap<string, { id: number; key: string }>>();
  for (const layer of layerKinds) {
    const kind = recordOf(layer);
    const named = rows.filter(({ fields }) => fields.layer === layer);
    if (kind && named.length > 0) records.set(layer, await findRefs(tx, kind, namesIn(named, 'of')));
  }
  const out: Read[] = [];
  for (const row of rows) {
    if (work.full) break;
    const one = await understand(tx, work, row, settings, records);
    if (one) out.push(one);
  }
  return out;
}

const namesIn = (rows: readonly ImportRow[], field: string): string[] =>
  rows.flatMap(({ fields }) => (typeof fields[field] === 'string' ? [fields[field]] : []));

async function understand(
  tx: Tx,
  work: Import,
  row: ImportRow,
  settings: ReadonlyMap<string, Stored<'setting'>>,
  records: ReadonlyMap<LayerKind, ReadonlyMap<string, { id: number; key: string }>>,
): Promise<Read | undefined> {
  const { setting: name, layer, of, value: given } = row.fields;
  const mode = row.fields.mode ?? 'set';
  const no = (field: string | null, code: Refusal['code'], params: Refusal['params'] = {}): undefined =>
    void work.fault(row, field, code, params);
  const stray = Object.keys(row.fields).find((field) => !known.includes(field) && row.fields[field] !== null);
  if (stray !== undefined) return no(stray, 'field-unknown', { field: stray });
  if (typeof name !== 'string') return no('setting', 'value-missing');
  if (!isOne(layerKinds, layer))
    return no('layer', 'value-choice', { value: text(layer), choices: layerKinds.join(', ') });
  if (!isOne(modes, mode)) return no('mode', 'value-choice', { value: text(mode), choices: modes.join(', ') });
  const setting = settings.get(name);
  if (!setting) {
    if (work.isBroken('setting', name)) return undefined;
    return no('setting', 'ref-unknown', await unknownRef(tx, 'setting', name, work.keysOf('setting')));
  }
  const kind = recordOf(layer);
  if (kind && typeof of === 'string' && work.isBroken(kind, of)) return undefined;
  // A cell of a table is text, whatever the setting wants.
  const asText = row.heads.value !== undefined && typeof given === 'string';
  const value = (asText ? valueFromText(typeOfSetting(setting), mode, given) : given) as Value;
  if (!kind) {
    if (typeof of === 'string') return no('of', 'layer-everywhere');
    return { row, setting, target: { kind: layer, id: 0, key: '' }, input: { mode, value } };
  }
  if (typeof of !== 'string') return no('of', 'value-missing');
  const record = records.get(layer)?.get(of);
  if (!record) return no('of', 'ref-unknown', await unknownRef(tx, kind, of, work.keysOf(kind)));
  return { row, setting, target: { kind: layer, id: record.id, key: record.key }, input: { mode, value } };
}

async function saveRead(tx: Tx, work: Import, all: readonly Read[]): Promise<void> {
  const standing = await standingRows(
    tx,
    all.map(({ setting, target }) => ({ setting, target })),
  );
  const writing: { one: Read; value: NewValue; before: ValueRow | undefined }[] = [];
  for (const [i, one] of all.entries()) {
    if (work.full) return;
    try {
      const value = await readNewValue(tx, one.setting, one.target, one.input);
      const before = standing[i];
      if (isSame(tx, before, value)) work.count('same');
      else writing.push({ one, value, before });
    } catch (error) {
      await blame(work, one, error);
    }
  }
  try {
    await saveValues(
      tx,
      writing.map(({ value, before }) => ({ ...value, before })),
    );
    for (const { one } of writing) if (one.target.kind === 'label') await refuseDisagreeing(tx, one.target.key);
  } catch (error) {
    for (const { one } of writing) await blame(work, one, error);
    return;
  }
  for (const { one, value, before } of writing) {
    const { setting, target, row } = one;
    const was = before ? presentValue(setting, before.mode, openValue(tx, before)) : null;
    const change = { field: 'value', before: was, after: presentValue(setting, value.mode, value.value) };
    const key = `${setting.name} ${target.kind}${target.key === '' ? '' : ` ${target.key}`}`;
    const action = before ? ('edit' as const) : ('add' as const);
    work.count(action);
    work.note({ file: row.file, row: row.row, kind: 'value' satisfies ImportKind, key, action, changes: [change] });
  }
}

async function blame(work: Import, { row }: Read, error: unknown): Promise<void> {
  if (!(error instanceof Refusal)) throw error;
  const [fault] = error.faults;
  work.fault(row, fault ? String(fault.path[0]) : null, error.code, await work.withMeant(error));
}

const isOne = <T extends string>(all: readonly T[], value: unknown): value is T =>
  (all as readonly unknown[]).includes(value);
const text = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value ?? null));
