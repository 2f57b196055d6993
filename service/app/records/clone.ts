/** Copies of a record under other names, with copies of its parts and of the settings it gives values to. */
import type { CloneBody } from '@zpine/contract/bulkRoutes';
import { Refusal } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import { columnOf, fieldsOf } from '@zpine/contract/kind';
import { kindOf, referrersOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { parseMac } from '@zpine/core/addressing/mac';
import { byId, find, present, type AnyStored } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { copyDeviceParts } from '../devices/copyParts.ts';
import { fitBox } from '../devices/fit.ts';
import { copyValues } from '../settings/values.ts';
import { add } from './add.ts';
import { Copies } from './copies.ts';
import { editOne } from './edit.ts';
import { mustFind } from './refs.ts';

export async function clone<K extends KindName>(
  tx: Tx,
  kind: K,
  ref: string,
  { records }: CloneBody,
): Promise<Stored<K>[]> {
  const source = await mustFind(tx, kind, ref);
  const boxes = records.map((record, i) => splitBox(kind, record, i));
  const at = (i: number) => ['records', i];
  const [shown = {}] = await present(tx, kind, [source]);
  const base = copied(kind, shown);
  const made = await add(
    tx,
    kind,
    boxes.map(({ rest }) => ({ ...base, ...rest })),
    at,
  );
  if (kind === 'device') for (const record of made) await copyPartsOfDevice(tx, source.id, record.id);
  else await copyParts(tx, kind, source, made);
  for (const record of made) await copyValues(tx, kind, source.id, record);
  for (const [i, { box }] of boxes.entries()) {
    const device = made[i];
    if (!box || !device) continue;
    try {
      await fitBox(tx, device as Stored<'device'>, { ...box, before: 'stock' });
    } catch (error) {
      // Of which copy it is has to be said.
      if (error instanceof Refusal && error.faults.length === 0)
        throw Refusal.at([...at(i), 'serial'], error.code, error.params);
      throw error;
    }
  }
  const out: Stored<K>[] = [];
  for (const record of made) out.push(await byId(tx, kind, record.id));
  return out;
}

interface Boxed {
  rest: Record<string, unknown>;
  box?: { serial: string; mac: string | null };
}

/** A copy of a device may come with its hardware. */
function splitBox(kind: KindName, record: Record<string, unknown>, i: number): Boxed {
  if (kind !== 'device') return { rest: record };
  const { serial, boxMac, ...rest } = record;
  if (serial === undefined || serial === null || serial === '') {
    if (boxMac !== undefined && boxMac !== null) throw Refusal.at(['records', i, 'serial'], 'value-missing');
    return { rest };
  }
  if (typeof serial !== 'string') throw Refusal.at(['records', i, 'serial'], 'value-type', { expected: 'text' });
  if (boxMac === undefined || boxMac === null) return { rest, box: { serial, mac: null } };
  const mac = parseMac(typeof boxMac === 'string' ? boxMac : '');
  if (!mac.ok) throw Refusal.at(['records', i, 'boxMac'], mac.fault.code, mac.fault.params);
  return { rest, box: { serial, mac: mac.value } };
}

/** What a copy takes over: not its names, nor what can stand in one record only. References to its own parts come later. */
function copied(kind: KindName, shown: Record<string, Value>): Record<string, Value> {
  const k = kindOf(kind);
  return Object.fromEntries(
    fieldsOf(k).flatMap(([name, field]) => {
      const named = k.key.parts.includes(name) && field.type !== 'ref';
      const left = field.derived || field.byVerb || field.unique || field.own || named || ownPart(kind, field.to);
      const value = shown[name] ?? null;
      return left || value === null ? [] : [[name, value]];
    }),
  );
}

const ownPart = (kind: KindName, to: string | undefined): boolean =>
  to !== undefined && referrersOf(kind).some(([child, field]) => child === to && kindOf(child).fields[field]?.part);

async function copyPartsOfDevice(tx: Tx, source: number, made: number): Promise<void> {
  const copies = new Copies(tx);
  copies.note('device', source, made);
  await copyDeviceParts(copies, [source]);
}

async function copyParts(tx: Tx, kind: KindName, source: AnyStored, made: AnyStored[]): Promise<void> {
  for (const [child, field] of referrersOf(kind)) {
    // What has a name of its own, as an address, cannot stand in a second place.
    if (!kindOf(child).fields[field]?.part || !kindOf(child).key.parts.includes(field)) continue;
    const parts = await find(tx, child, { [`${columnOf(field)}_id`]: source.id }, { order: ['sort_key'] });
    if (parts.length === 0) continue;
    const shown = await present(tx, child, parts);
    for (const record of made) {
      const copies = await add(
        tx,
        child,
        shown.map((part) => ({ ...copied(child, part), ...names(child, part), [field]: `#${record.id}` })),
      );
      await followOwn(tx, kind, source, record, new Map(parts.map((part, i) => [part.id, copies[i]?.id ?? 0])), child);
    }
    // Parts of parts, each pair for itself.
    for (const record of made) {
      const copies = await find(tx, child, { [`${columnOf(field)}_id`]: record.id }, { order: ['sort_key'] });
      for (const [i, part] of parts.entries()) if (copies[i]) await copyParts(tx, child, part, [copies[i]]);
    }
  }
}

/** The names of a part inside its whole stay. */
const names = (kind: KindName, part: Record<string, Value>): Record<string, Value> =>
  Object.fromEntries(kindOf(kind).key.parts.map((name) => [name, part[name] ?? null]));

/** What the original says of its own part, a copy says of its own: the management interface. */
async function followOwn(
  tx: Tx,
  kind: KindName,
  source: AnyStored,
  record: AnyStored,
  copies: Map<number, number>,
  child: KindName,
): Promise<void> {
  for (const [name, field] of fieldsOf(kindOf(kind))) {
    const held = source[name];
    if (field.to !== child || field.derived || typeof held !== 'number') continue;
    const copy = copies.get(held);
    if (copy) await editOne(tx, kind, `#${record.id}`, { [name]: `#${copy}` });
  }
}
