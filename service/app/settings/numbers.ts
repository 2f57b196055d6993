/**
 * A setting that is a number, for every device there is: one number for all, and those of devices that stand in a layer
 * which says something else. In an estate of any size only the latter are read.
 */
import type { LayerKind, SettingValue } from '@zpine/core/settings/layers';
import { allOf, byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { devicesBehind, devicesLabelled, type Handle } from '../devices/behind.ts';
import { settingsOfMany } from './effective.ts';

export interface Numbers {
  /** Where no layer but `everywhere` says anything; 0 for none. */
  everywhere: number;
  /** By the ids of devices. */
  own: Map<number, number>;
}

/** So many devices are read at a time. */
const SLICE = 1000;

/** Undefined where neither the setting nor any layer plans anything. `asked`: of these devices alone. */
export async function numbersOf(tx: Tx, name: string, asked?: readonly number[]): Promise<Numbers | undefined> {
  const setting = (await allOf(tx, 'setting')).find((one) => one.name === name);
  if (!setting) return undefined;
  const rows = await tx.select<{ layer_kind: LayerKind; layer_id: number; value: string }>(
    'SELECT layer_kind, layer_id, value FROM setting_value WHERE setting_id = ?',
    [setting.id],
  );
  const said = rows.find((row) => row.layer_kind === 'everywhere')?.value;
  const everywhere = Number(said === undefined ? setting.defaultValue : (JSON.parse(said) as SettingValue)) || 0;
  const ids = new Set<number>(asked);
  for (const kind of asked ? [] : new Set(rows.map((row) => row.layer_kind))) {
    const layers = rows.filter((row) => row.layer_kind === kind).map((row) => Number(row.layer_id));
    for (const id of await devicesIn(tx, kind, layers)) ids.add(id);
  }
  const own = new Map<number, number>();
  const open = [...ids];
  for (let at = 0; at < open.length; at += SLICE) {
    const devices = [...(await byIds(tx, 'device', open.slice(at, at + SLICE))).values()];
    const held = await settingsOfMany(tx, devices, [name]);
    for (const device of devices) own.set(device.id, Number(held.value(device, name)) || 0);
  }
  return everywhere > 0 || own.size > 0 ? { everywhere, own } : undefined;
}

/** The devices that have a layer; none for `everywhere`. */
export async function devicesIn(tx: Tx, kind: LayerKind, ids: number[]): Promise<number[]> {
  // What a prefix or a boot profile says is told by DHCP, and planned by nobody.
  if (kind === 'everywhere' || kind === 'prefix' || kind === 'bootprofile') return [];
  if (kind !== 'label') return devicesBehind(tx, kind satisfies Handle, ids);
  const labels = (await byIds(tx, 'label', ids)).values();
  return devicesLabelled(
    tx,
    [...labels].map((label) => label.name),
  );
}
